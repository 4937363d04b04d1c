/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/plan_setting.h"

#include "olvido/machine.h"
#include "olvido/nearest.h"
#include "olvido/run.h"
#include "olvido/trash.h"

#include <errno.h>
#include <limits.h>
#include <string.h>
#include <sys/stat.h>

static bool select_rule(struct cli *cli, const struct olv_policy *policy, const char *name, bool *selected,
                        enum cli_status *status)
{
    const char *names[1000], *near;
    for (size_t i = 0; i < policy->rule_count; i++) {
        names[i] = policy->rules[i].name;
        if (strcmp(names[i], name) != 0)
            continue;
        selected[i] = true;
        return true;
    }
    near = olv_nearest(name, strlen(name), names, policy->rule_count);
    *status = cli_usage(cli, "the policy has no rule `%s`%s%s%s", name, near ? "; did you mean `" : "",
                        near ? near : "", near ? "`?" : "");
    return false;
}

/* A date alone begins where the policy is. */
static bool read_as_of(struct cli *cli, const struct olv_policy *policy, struct olv_plan_options *options,
                       enum cli_status *status)
{
    enum { DATE_ONLY = 10 };
    const char *text = cli_value(cli, OPT_AS_OF);
    options->now = options->as_of = olv_os_now();
    if (!text)
        return true;
    if (!cli_instant(cli, OPT_AS_OF, &options->as_of, status))
        return false;
    if (strlen(text) == DATE_ONLY)
        options->as_of.s = olv_zone_seconds(policy->zone, olv_date_from_seconds(options->as_of.s));
    return true;
}

static struct olv_trashes *find_trashes(const struct olv_observer *observer)
{
    struct olv_error err = {0};
    char home[PATH_MAX];
    struct olv_trashes *trashes = olv_trashes_new(olv_trash_home(home, sizeof home, &err) ? home : NULL);
    if (trashes)
        olv_trashes_find(trashes, observer);
    return trashes;
}

/* It is refused as a trash, and what it leads to is none. */
static bool is_link(const char *path)
{
    struct stat st;
    return lstat(path, &st) == 0 && S_ISLNK(st.st_mode);
}

static void guard_trashes(struct olv_guard *guard, const struct olv_trashes *trashes)
{
    struct olv_error err = {0};
    char home[PATH_MAX];
    for (size_t i = 0; trashes && i < olv_trashes_count(trashes); i++)
        olv_guard_add(guard, olv_trash_path(olv_trashes_at(trashes, i)));
    if (olv_trash_home(home, sizeof home, &err) && !is_link(home))
        olv_guard_add(guard, home); /* also when it cannot be used */
}

static bool guard_archive(void *self, const struct olv_stored_archive *archive)
{
    olv_guard_add(self, archive->depot_path);
    return true;
}

/* All that are known, whether or not a policy names them. */
static void guard_depots(const char *state, struct olv_guard *guard)
{
    struct olv_error err = {0};
    struct olv_catalogue *catalogue = olv_catalogue_open(state, &err);
    if (catalogue)
        olv_catalogue_archives(catalogue, guard_archive, guard, &err);
    if (err.sys && err.sys != ENOENT)
        guard->error = err;
    olv_catalogue_close(catalogue);
}

static void guard_places(struct cli *cli, const char *policy_path, const struct olv_trashes *trashes,
                         const struct olv_policy *policy, struct olv_guard *guard)
{
    enum cli_status ignored;
    char path[PATH_MAX];
    olv_guard_add(guard, policy_path);
    if (cli_state_path(cli, path, sizeof path, &ignored)) {
        olv_guard_add(guard, path);
        guard_depots(path, guard);
    }
    for (size_t i = 0; policy && i < policy->depot_count; i++)
        olv_guard_add(guard, policy->depots[i].path);
    guard_trashes(guard, trashes);
    olv_guard_find_aliases(guard);
}

void plan_guard(struct cli *cli, const char *policy_path, const struct olv_policy *policy,
                struct olv_guard *guard)
{
    struct olv_trashes *trashes = find_trashes(NULL);
    guard_places(cli, policy_path, trashes, policy, guard);
    olv_guard_add_landmarks(guard);
    olv_trashes_free(trashes);
}

static bool select_rules(struct cli *cli, const struct olv_policy *policy, bool *selected,
                         enum cli_status *status)
{
    for (size_t i = 0; i < policy->rule_count; i++)
        selected[i] = !cli_has(cli, OPT_RULE);
    for (size_t i = 0; i < cli->options[OPT_RULE].count; i++)
        if (!select_rule(cli, policy, cli->options[OPT_RULE].values[i], selected, status))
            return false;
    return true;
}

static bool is_about_directories(const struct olv_policy *policy)
{
    for (size_t i = 0; i < policy->rule_count; i++)
        if (policy->rules[i].has_directories)
            return true;
    return false;
}

/* NULL also when it is damaged: then the files in trees are judged all the same. */
static struct olv_catalogue *open_catalogue(struct cli *cli, const char *state)
{
    struct olv_error err = {0};
    struct olv_catalogue *catalogue = olv_catalogue_open(state, &err);
    if (!catalogue && err.sys != ENOENT) {
        cli_report(cli, &err);
        cli->is_unsure = true;
    }
    return catalogue;
}

bool plan_prepare(struct cli *cli, const struct olv_policy *policy, const struct plan_request *request,
                  bool *selected, struct plan_setting *out, enum cli_status *status)
{
    struct olv_error err = {0};
    char state[PATH_MAX];
    *out = (struct plan_setting){.options = {.guard = &out->guard,
                                             .selected = selected,
                                             .wants_docket = request->wants_docket,
                                             .is_unattended = request->is_unattended,
                                             .in_notice = request->in_notice,
                                             .is_clock_off = request->is_clock_off}};
    if ((selected && !select_rules(cli, policy, selected, status)) ||
        !read_as_of(cli, policy, &out->options, status) || !cli_state_path(cli, state, sizeof state, status))
        return false;
    out->trashes = find_trashes(&cli->observer);
    guard_places(cli, policy->path, out->trashes, policy, &out->guard);
    if (is_about_directories(policy)) /* only directories can be landmarks */
        olv_guard_add_landmarks(&out->guard);
    out->options.trashes = cli_has(cli, OPT_RULE) ? NULL : out->trashes; /* --rule is about that rule alone */
    out->options.catalogue = out->catalogue = open_catalogue(cli, state);
    out->options.respites = out->respites = olv_respites_read(state, out->options.now, &err);
    if (out->guard.error.code != OLV_OK && !cli->is_unsure) {
        cli_report(cli, &out->guard.error);
        cli->is_unsure = true; /* no run begins; whoever only looks sees the rest */
    }
    out->options.notes = out->notes = out->respites ? olv_notes_read(state, &err) : NULL;
    if (!out->notes)
        *status = cli_report(cli, &err);
    return out->notes != NULL;
}

void plan_release(struct plan_setting *setting)
{
    olv_respites_free(setting->respites);
    olv_notes_free(setting->notes);
    olv_catalogue_close(setting->catalogue);
    olv_trashes_free(setting->trashes);
    olv_guard_free(&setting->guard);
}

bool plan_for(struct cli *cli, struct olv_policy *policy, const struct plan_request *request,
              struct olv_plan *plan, bool *selected, enum cli_status *status)
{
    struct plan_setting setting;
    struct olv_error err = {0};
    bool ok = plan_prepare(cli, policy, request, selected, &setting, status);
    if (ok && !olv_plan_make(plan, policy, &setting.options, &cli->observer, &err)) {
        *status = cli_report(cli, &err);
        ok = false;
    }
    plan_release(&setting);
    return ok;
}
