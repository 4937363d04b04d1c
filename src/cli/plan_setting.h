/* SPDX-License-Identifier: Apache-2.0 */
/* What judging needs beside a policy, from the options of the command; and the plan that they ask for. */
#ifndef OLV_CLI_PLAN_SETTING_H
#define OLV_CLI_PLAN_SETTING_H

#include "cli/cli.h"
#include "olvido/plan.h"

/* What a command wants of a plan beside its options; see struct olv_plan_options. */
struct plan_request {
    bool wants_docket, is_unattended, is_clock_off;
    const bool *in_notice;
};

/* What judging needs beside the policy: the guard, the respites, the trashes, the catalogue of depots,
 * the time. */
struct plan_setting {
    struct olv_plan_options options; /* points into the rest */
    struct olv_guard guard;
    struct olv_trashes *trashes;
    struct olv_catalogue *catalogue;
    struct olv_respites *respites;
    struct olv_notes *notes;
};

/* False with the status after saying why; release it in any case. `selected` may be NULL: every rule. */
bool plan_prepare(struct cli *cli, const struct olv_policy *policy, const struct plan_request *request,
                  bool *selected, struct plan_setting *out, enum cli_status *status);
void plan_release(struct plan_setting *setting);
/* Makes the plan that the command's options ask for (--rule, --as-of). False with the status after saying
 * why. */
bool plan_for(struct cli *cli, struct olv_policy *policy, const struct plan_request *request,
              struct olv_plan *plan, bool *selected, enum cli_status *status);
/* Tells the guard where Olvido's own places are, with the depots of a policy, which may be NULL. */
void plan_guard(struct cli *cli, const char *policy_path, const struct olv_policy *policy,
                struct olv_guard *guard);

#endif
