/* SPDX-License-Identifier: Apache-2.0 */
#include "olvido/session.h"

#include "engine/run.h"
#include "os/os.h"

#include <errno.h>
#include <limits.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

/* ---- what must never be touched ---- */

/* It is refused as a trash, and its target is none. */
static bool is_link(const char *path)
{
    struct stat st;
    return lstat(path, &st) == 0 && S_ISLNK(st.st_mode);
}

static void guard_trashes(struct olv_guard *guard, const struct olv_trashes *trashes, const char *home)
{
    for (size_t i = 0; i < olv_trashes_count(trashes); i++)
        olv_guard_add(guard, olv_trash_path(olv_trashes_at(trashes, i)));
    if (home && !is_link(home))
        olv_guard_add(guard, home); /* even if it cannot be used */
}

static bool guard_archive(void *self, const struct olv_stored_archive *archive)
{
    olv_guard_add(self, archive->depot_path);
    return true;
}

/* All known depots, whether or not a policy names them. */
static void guard_depots(struct olv_session *s)
{
    const struct olv_policy *policy = s->options.policy;
    struct olv_error err = s->catalogue_error;
    if (s->catalogue)
        olv_catalogue_archives(s->catalogue, guard_archive, &s->guard, &err);
    if (err.sys && err.sys != ENOENT)
        s->guard.error = err;
    for (size_t i = 0; policy && i < policy->depot_count; i++)
        olv_guard_add(&s->guard, policy->depots[i].path);
}

static void know_guard(struct olv_session *s, const char *home)
{
    if (s->options.policy_path)
        olv_guard_add(&s->guard, s->options.policy_path);
    olv_guard_add(&s->guard, s->options.state);
    guard_depots(s);
    guard_trashes(&s->guard, s->trashes, home);
    olv_guard_find_aliases(&s->guard);
    olv_guard_add_landmarks(&s->guard);
    if (!s->options.policy)
        olv_guard_add_here(&s->guard);
    s->guard_error = s->guard.error;
}

/* ---- the session ---- */

static bool read_respites(struct olv_session *s, struct olv_error *err)
{
    struct olv_instant now = olv_os_now();
    const char *doubt = s->run ? s->run->clock_doubt : olv_clock_doubt(s->reg, now, (struct olv_instant){0});
    olv_respites_free(s->respites);
    s->respites = olv_respites_read(s->reg, now, doubt != NULL, err);
    return s->respites != NULL;
}

bool olv_session_believe_clock(struct olv_session *s, struct olv_error *err)
{
    s->run->clock_doubt = NULL;
    return run_register(s->run, DATABASE_MAKE, err) /* which notes it */ && read_respites(s, err);
}

static bool open_catalogue(struct olv_session *s, struct olv_error *err)
{
    if (s->run)
        return run_catalogue(s->run, DATABASE_THERE, err);
    return (s->catalogue = olv_catalogue_open(s->options.state, err)) != NULL;
}

/* What a run has opened to settle is there already. */
static bool look_around(struct olv_session *s, const char *home, struct olv_error *err)
{
    olv_trashes_find(s->trashes, s->options.observer);
    if (!open_catalogue(s, &s->catalogue_error) && s->catalogue_error.sys == ENOENT)
        olv_error_clear(&s->catalogue_error);
    know_guard(s, home);
    s->options.policy_path = NULL;
    if (!s->run && (!olv_register_open(s->options.state, &s->reg, err) ||
                    !(s->notes = olv_notes_read(s->options.state, err))))
        return false;
    return read_respites(s, err);
}

/* A run that was cut short is settled before anything is read. */
bool olv_session_open(struct olv_session *s, const struct olv_session_options *options, struct olv_error *err)
{
    struct olv_error none = {0};
    char path[PATH_MAX];
    const char *home = olv_trash_home(path, sizeof path, &none) ? path : NULL;
    *s = (struct olv_session){.options = *options, .state = strdup(options->state)};
    s->trashes = olv_trashes_new(home);
    if (!s->state || !s->trashes)
        return olv_fail_memory(err);
    s->options.state = s->state;
    return (!options->command || (s->run = run_open(s, err))) && look_around(s, home, err);
}

void olv_session_close(struct olv_session *s)
{
    run_close(s->run);
    olv_catalogue_close(s->catalogue);
    olv_register_close(s->reg);
    olv_respites_free(s->respites);
    olv_notes_free(s->notes);
    olv_trashes_free(s->trashes);
    olv_guard_free(&s->guard);
    free(s->state);
}

struct olv_plan_options olv_session_judging(const struct olv_session *s,
                                            const struct olv_plan_request *request)
{
    return (struct olv_plan_options){.now = request->now,
                                     .as_of = request->as_of,
                                     .selected = request->selected,
                                     .guard = &s->guard,
                                     .holds = s->options.holds,
                                     .respites = s->respites,
                                     .notes = s->notes,
                                     .catalogue = s->catalogue,
                                     .reg = s->reg,
                                     .trashes = s->trashes,
                                     .is_unattended = request->is_unattended,
                                     .wants_docket = request->wants_docket};
}

/* It waits for the rules and the clock; that they were seen is recorded first. */
static bool examine(struct olv_session *s, const struct olv_policy *policy, bool *in_notice,
                    const char **clock_doubt, struct olv_error *err)
{
    struct olv_register *reg = run_register(s->run, DATABASE_MAKE, err);
    *clock_doubt = s->run->clock_doubt;
    return reg && rules_note(reg, policy, s->run->turn.run.now, *clock_doubt != NULL, in_notice, err);
}

bool olv_session_plan(struct olv_session *s, const struct olv_policy *policy,
                      const struct olv_plan_request *request, struct olv_plan *plan, const char **clock_doubt,
                      struct olv_error *err)
{
    struct olv_plan_options options = olv_session_judging(s, request);
    bool *in_notice = calloc(policy->rule_count + 1, sizeof *in_notice), ok = true;
    if (!in_notice)
        return olv_fail_memory(err);
    if (s->run)
        ok = examine(s, policy, in_notice, clock_doubt, err);
    options.reg = s->reg;
    options.in_notice = in_notice;
    options.is_clock_off = ok && s->run && *clock_doubt;
    ok = ok && olv_plan_make(plan, policy, &options, s->options.observer, err);
    free(in_notice);
    return ok;
}

bool olv_session_carry_out(struct olv_session *s, struct olv_spool *docket,
                           const struct olv_approval *approval, struct olv_run_result *result,
                           struct olv_error *err)
{
    if (s->guard_error.code == OLV_OK)
        return run_carry_out(s->run, docket, approval, result, err);
    *result = (struct olv_run_result){0};
    *err = s->guard_error;
    return olv_error_as(err, OLV_STATE);
}
