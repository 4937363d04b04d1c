/* SPDX-License-Identifier: Apache-2.0 */
/* What every command works with: what must never be touched, the trashes, what lies in depots, what was given
 * back, and (to act) a run. Planning, permission (olvido/permission.h) and carrying out go through it, so
 * that no caller can forget a guard or a limit. A session belongs to the process that opened it. */
#ifndef OLVIDO_SESSION_H
#define OLVIDO_SESSION_H

#include "olvido/permission.h"
#include "olvido/plan.h"
#include "olvido/run.h"

struct olv_session_options {
    const char *state;               /* path of the state directory */
    const char *policy_path;         /* of the policy that is used, or would be; NULL after opening */
    const struct olv_policy *policy; /* NULL: by hand */
    const char *command;             /* for the ledger; NULL: nothing is done, and no run is opened */
    const struct olv_observer *observer;
};

/* Read-only for the caller, but for what the run does. */
struct olv_session {
    struct olv_session_options options; /* `state` is the session's own */
    char *state;
    struct olv_guard guard;
    struct olv_trashes *trashes;
    struct olv_catalogue *catalogue; /* NULL: there is none, or it is damaged */
    struct olv_register *reg;        /* NULL: there is none yet */
    struct olv_respites *respites;
    struct olv_notes *notes;
    struct olv_run *run; /* NULL: only looking */
    /* What could not be known; the rest can be looked at, but nothing can be done where the guard is
     * incomplete.
     */
    struct olv_error catalogue_error, guard_error;
};

/* Opens all of it; a run that was cut short is settled first. False with `err`; close it in any case. */
bool olv_session_open(struct olv_session *session, const struct olv_session_options *options,
                      struct olv_error *err);
void olv_session_close(struct olv_session *session);

/* What a plan is asked for beside the session. */
struct olv_plan_request {
    struct olv_instant now, as_of;
    const bool *selected; /* for each rule; NULL: all, and the policy's `trash` */
    bool is_unattended, wants_docket;
};
/* What judging by the session's policy needs. Points into the session. */
struct olv_plan_options olv_session_judging(const struct olv_session *session,
                                            const struct olv_plan_request *request);
/* Makes a plan; see olv_plan_make. To act, the rules and the clock are noted first: `clock_doubt` (not NULL
 * then) becomes why the clock is not to be believed, or NULL. */
bool olv_session_plan(struct olv_session *session, const struct olv_policy *policy,
                      const struct olv_plan_request *request, struct olv_plan *plan, const char **clock_doubt,
                      struct olv_error *err);
/* Carries a docket out; see olv_run_carry_out. Refuses to with an incomplete guard. */
bool olv_session_carry_out(struct olv_session *session, struct olv_spool *docket,
                           const struct olv_approval *approval, struct olv_run_result *result,
                           struct olv_error *err);

#endif
