/* SPDX-License-Identifier: Apache-2.0 */
/* Draws the questions of `enforce`; the library decides what is allowed (olvido/permission.h). */
#ifndef OLV_CLI_PERMIT_H
#define OLV_CLI_PERMIT_H

#include "cli/cli.h"
#include "olvido/permission.h"

struct permit {
    struct cli *cli;
    const struct olv_policy *policy;
    const struct olv_plan *plan;
    struct olv_allowance allowance;
    bool *over_limit; /* per rule; owned */
    struct olv_permission *permission;
};

/* Reads what is allowed beforehand: --yes, --count, --over-limit, --unattended. False after reporting and
 * marking what is wrong; permit_end in any case. */
bool permit_read(struct permit *permit);
/* Asks what the plan's selected rules need. False after reporting and marking why it cannot. */
bool permit_ask(struct permit *permit, const bool *selected);
/* For struct olv_approval, with a struct permit: whether the entry may be carried out; asks if its rule was
 * answered with `each`. */
bool permit_entry(void *permit, struct olv_docket_entry *entry);
/* Says what was left undone, and why. */
void permit_explain(const struct permit *permit);
void permit_end(struct permit *permit);
/* Appends a sentence about an exceeded limit; nothing if none is. */
void permit_describe_limit(const struct olv_policy *policy, const struct olv_excess *excess,
                           struct olv_text *out);

#endif
