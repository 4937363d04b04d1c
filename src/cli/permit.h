/* SPDX-License-Identifier: Apache-2.0 */
/* Who allowed what: the questions of `enforce`, its limits, and the answers given beforehand. */
#ifndef OLV_CLI_PERMIT_H
#define OLV_CLI_PERMIT_H

#include "cli/cli.h"
#include "olvido/plan.h"

enum answer { ANSWER_NO, ANSWER_YES, ANSWER_EACH };

struct permit {
    struct cli *cli;
    const struct olv_policy *policy;
    const struct olv_plan *plan;
    const bool *selected;
    enum answer *answers; /* for each rule, and then for the policy's `trash`; owned by the caller */
    bool *may_end;   /* for each rule: whether what cannot be taken back may be done; owned by the caller */
    bool is_stopped; /* answered `stop`: nothing more */
    uint64_t not_asked;   /* files left undone because nobody could be asked */
    uint64_t not_counted; /* files that would have needed their count typed */
    uint64_t over_limit;  /* files of rules that were refused as a whole */
};

/* Asks for each rule with something due, or finds the answer beforehand. */
void permit_ask(struct permit *permit);
/* Whether this entry may be carried out; for `each`, asks. */
bool permit_entry(struct permit *permit, const struct olv_docket_entry *entry);
/* Says why something was left undone. */
void permit_explain(const struct permit *permit);
/* What a limit says about this rule: appends a sentence; nothing where none is exceeded. */
void permit_describe_limit(const struct olv_policy *policy, enum olv_limit limit, const struct olv_tally *due,
                           uint64_t owned, struct olv_text *out);

#endif
