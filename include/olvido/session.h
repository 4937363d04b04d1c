/* SPDX-License-Identifier: Apache-2.0 */
/* What every command works with: guard, trashes, catalogue of depots, register and (to act) a run. Planning,
 * permission (olvido/permission.h) and carrying out go through it, so no caller can forget a guard or a
 * limit. A session belongs to the process that opened it. */
#ifndef OLVIDO_SESSION_H
#define OLVIDO_SESSION_H

#include "olvido/permission.h"
#include "olvido/plan.h"
#include "olvido/run.h"

struct olv_session_options {
    const char *state;               /* path of the state directory */
    const char *policy_path;         /* of the policy in use, or the default one; NULL after opening */
    const struct olv_policy *policy; /* NULL: by hand */
    const char *command;             /* for the ledger; NULL: only look, and open no run */
    const struct olv_holds *holds;   /* asked again right before each act; NULL: nothing is held */
    const struct olv_observer *observer;
};

/* Read-only for the caller, except through the run. */
struct olv_session {
    struct olv_session_options options; /* `state` is owned by the session */
    char *state;
    struct olv_guard guard;
    struct olv_trashes *trashes;
    struct olv_catalogue *catalogue; /* NULL: there is none, or it is damaged */
    struct olv_register *reg;        /* NULL: there is none yet */
    struct olv_respites *respites;
    struct olv_notes *notes;
    struct olv_run *run; /* NULL: only looking */
    /* What could not be known. The rest can be looked at, but nothing is done with an incomplete guard. */
    struct olv_error catalogue_error, guard_error;
};

/* Opens everything; first settles runs that were cut short. False with `err`; close it in any case. */
bool olv_session_open(struct olv_session *session, const struct olv_session_options *options,
                      struct olv_error *err);
void olv_session_close(struct olv_session *session);

/* A person says that the doubtful clock (olv_run_clock_doubt) is right: respites expire again. */
bool olv_session_believe_clock(struct olv_session *session, struct olv_error *err);

/* What to plan. */
struct olv_plan_request {
    struct olv_instant now, as_of;
    const bool *selected; /* per rule; NULL: all, and the policy's `trash` */
    bool is_unattended, wants_docket;
};
/* What judging by the session's policy needs. Points into the session. */
struct olv_plan_options olv_session_judging(const struct olv_session *session,
                                            const struct olv_plan_request *request);
/* Makes a plan; see olv_plan_make. For acting, it first records the rules and the clock: `clock_doubt` (then
 * not NULL) gets why the clock is not trusted, or NULL. */
bool olv_session_plan(struct olv_session *session, const struct olv_policy *policy,
                      const struct olv_plan_request *request, struct olv_plan *plan, const char **clock_doubt,
                      struct olv_error *err);
/* Adds to a docket (may be NULL) what takes back the acts of an earlier run that have an `inverse`, and calls
 * `each` for it, with what lies there now. */
bool olv_session_take_back(const struct olv_session *session, const char *run, struct olv_spool *docket,
                           void (*each)(void *self, const struct olv_inverse *inverse,
                                        const struct olv_stat *stat),
                           void *self, struct olv_error *err);
/* Carries a docket out batch by batch: what is approved of it, or all of it without an approval (NULL). False
 * if the run itself could not go on (the ledger, the docket), or nothing is done because the guard is
 * incomplete; the result has what was done until then, and so has the ledger as far as possible. */
bool olv_session_carry_out(struct olv_session *session, struct olv_spool *docket,
                           const struct olv_approval *approval, struct olv_run_result *result,
                           struct olv_error *err);

#endif
