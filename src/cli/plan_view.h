/* SPDX-License-Identifier: Apache-2.0 */
/* How a plan and its docket look: what `preview` and `enforce` have in common. */
#ifndef OLV_CLI_PLAN_VIEW_H
#define OLV_CLI_PLAN_VIEW_H

#include "cli/cli.h"
#include "olvido/plan.h"

/* What a command wants of a plan beside its options; see struct olv_plan_options. */
struct plan_request {
    bool wants_docket, is_unattended, is_clock_off;
    const bool *in_notice;
};

/* What judging needs beside the policy: the guard, the respites, the trashes, the time. */
struct plan_setting {
    struct olv_plan_options options; /* points into the rest */
    struct olv_guard guard;
    struct olv_trashes *trashes;
    struct olv_respites *respites;
};

/* False with the status after saying why; release it in any case. `selected` may be NULL: every rule. */
bool plan_prepare(struct cli *cli, const struct olv_policy *policy, const struct plan_request *request,
                  bool *selected, struct plan_setting *out, enum cli_status *status);
void plan_release(struct plan_setting *setting);
/* Makes the plan that the command's options ask for (--rule, --as-of). False with the status after saying
 * why. */
bool plan_for(struct cli *cli, struct olv_policy *policy, const struct plan_request *request,
              struct olv_plan *plan, bool *selected, enum cli_status *status);
/* Tells the guard where Olvido's own places are. */
void plan_guard(struct cli *cli, const char *policy_path, struct olv_guard *guard);

/* The table of rules and steps, and a line below it. */
void plan_print(struct cli *cli, const struct olv_policy *policy, const struct olv_plan *plan,
                const bool *selected);
void plan_print_json(const struct olv_policy *policy, const struct olv_plan *plan);

/* Which entries of the docket to list. */
struct docket_filter {
    bool by_rule, by_act;
    uint32_t rule;
    enum olv_act_id act;
    uint64_t most; /* rows; 0: all. What is left out is counted in a last line. */
};
/* Oldest first. */
bool docket_print(struct cli *cli, struct olv_spool *docket, struct docket_filter filter, bool as_json,
                  struct olv_error *err);

/* What a plan could not see, said after it; the status that follows from it. */
enum cli_status plan_print_gaps(struct cli *cli, const struct olv_policy *policy,
                                const struct olv_plan *plan);

#endif
