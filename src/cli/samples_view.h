/* SPDX-License-Identifier: Apache-2.0 */
/* What a policy says about samples that were made for it. */
#ifndef OLV_CLI_SAMPLES_VIEW_H
#define OLV_CLI_SAMPLES_VIEW_H

#include "cli/cli.h"
#include "olvido/demo.h"
#include "olvido/plan.h"

/* Judges every sample by the copy of the policy and shows the verdicts, those that are not as the rule means
 * them marked. */
enum cli_status samples_report(struct cli *cli, const struct olv_policy *policy,
                               const struct olv_samples *samples, const struct olv_plan_options *options);

#endif
