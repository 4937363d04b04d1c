/* SPDX-License-Identifier: Apache-2.0 */
/* Opens a command's session, and reads which plan its options ask for. */
#ifndef OLV_CLI_OPEN_SESSION_H
#define OLV_CLI_OPEN_SESSION_H

#include "cli/cli.h"
#include "olvido/session.h"

/* Opens it to act (`command` is for the ledger) or, with NULL, to look; reports what an earlier run left and
 * what is unknown. False after reporting and marking why; close it in any case. */
bool session_open(struct cli *cli, const struct olv_policy *policy, const char *command,
                  struct olv_session *out);
/* Reads --rule and --as-of. False after reporting and marking what is wrong; free it in any case. */
bool session_read_request(struct cli *cli, const struct olv_policy *policy, struct olv_plan_request *out);
void session_free_request(struct olv_plan_request *request);
/* Opens one to look, with what judging by the policy needs. */
bool session_open_judging(struct cli *cli, const struct olv_policy *policy, struct olv_session *out,
                          struct olv_plan_options *options);
/* Marks the rules that this option names. */
bool session_rules_of(struct cli *cli, const struct olv_policy *policy, enum cli_option option,
                      bool *selected);
/* Carries the docket out. False after reporting and marking why; the result has what was done by then. */
bool session_carry_out(struct cli *cli, struct olv_session *session, struct olv_spool *docket,
                       const struct olv_approval *approval, struct olv_run_result *result);

#endif
