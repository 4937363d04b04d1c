/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/items_view.h"
#include "cli/table.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/depot_care.h"
#include "olvido/quantity.h"
#include "olvido/run.h"

#include <limits.h>
#include <string.h>
#include <unistd.h>

struct looking {
    struct cli *cli;
    const char *depot; /* NULL: all */
    struct table *table;
    uint64_t archives, members, bytes, length;
    uint64_t faults;
    uint64_t unfinished; /* archives that are not live */
};

/* ---- show ---- */

static void show_json(const struct olv_stored_archive *a)
{
    json_t *json = json_object();
    olv_json_string(json, "depot", a->depot);
    olv_json_name(json, "directory", a->depot_path);
    olv_json_name(json, "archive", a->name);
    olv_json_string(json, "packed", olv_codec_word(a->codec));
    if (*a->rule)
        olv_json_string(json, "rule", a->rule);
    olv_json_string(json, "run", a->run);
    olv_json_instant(json, "made", a->made);
    olv_json_number(json, "members", a->members);
    olv_json_number(json, "bytes", a->bytes);
    olv_json_number(json, "length", a->length);
    cli_print_json(json);
}

static void show_row(struct looking *l, const struct olv_stored_archive *a)
{
    struct olv_text name = {0}, members = {0};
    char date[TERM_DATE], plain[OLV_SIZE_TEXT], packed[OLV_SIZE_TEXT];
    term_name(&name, a->name);
    term_number(&members, a->members);
    table_cell(l->table, STYLE_PLAIN, a->depot);
    table_cell(l->table, STYLE_PLAIN, term_date(a->made, date));
    table_cell(l->table, STYLE_PLAIN, olv_text_string(&members));
    table_cell(l->table, STYLE_PLAIN, olv_size_format(a->bytes, plain));
    table_cell(l->table, STYLE_PLAIN, olv_size_format(a->length, packed));
    table_cell(l->table, STYLE_PLAIN, olv_text_string(&name));
    olv_text_free(&name);
    olv_text_free(&members);
}

static bool show_archive(void *self, const struct olv_stored_archive *a)
{
    struct looking *l = self;
    if (l->depot && strcmp(l->depot, a->depot) != 0)
        return true;
    l->archives++;
    l->members += a->members;
    l->bytes += a->bytes;
    l->length += a->length;
    if (l->table)
        show_row(l, a);
    else if (cli_has(l->cli, OPT_JSON))
        show_json(a);
    return true;
}

/* What is being made, or is to go. */
static bool show_unfinished(void *self, const struct olv_unfinished_archive *u)
{
    struct looking *l = self;
    struct olv_text line = {0};
    if (l->depot && strcmp(l->depot, u->depot) != 0)
        return true;
    l->unfinished++;
    if (cli_has(l->cli, OPT_JSON)) {
        json_t *json = json_object();
        olv_json_string(json, "depot", u->depot);
        olv_json_name(json, "directory", u->depot_path);
        olv_json_name(json, "archive", u->name);
        olv_json_string(json, "state", olv_archive_state_word(u->state));
        olv_json_string(json, "run", u->run);
        cli_print_json(json);
        return true;
    }
    olv_text_printf(&line, "%s/", u->depot);
    term_name(&line, u->name);
    printf("%s%s%s: %s\n", term_begin(l->cli, STYLE_WARN), olv_text_string(&line), term_end(l->cli),
           u->state == OLV_ARCHIVE_MAKING
               ? "is being made, or was when a run was cut short; the next run clears what is left of it"
               : "is to go, and could not be removed yet; every run tries again");
    olv_text_free(&line);
    return true;
}

static bool list_unfinished(struct looking *l, struct olv_catalogue *catalogue, struct olv_error *err)
{
    return olv_catalogue_unfinished(catalogue, OLV_ARCHIVE_MAKING, show_unfinished, l, err) &&
           olv_catalogue_unfinished(catalogue, OLV_ARCHIVE_GOING, show_unfinished, l, err);
}

static enum cli_status cmd_depot_show(struct looking *l, struct olv_catalogue *catalogue)
{
    static const struct table_column columns[] = {{.heading = "Depot"},
                                                  {.heading = "Made"},
                                                  {.heading = "Members", .is_right = true},
                                                  {.heading = "Contents", .is_right = true},
                                                  {.heading = "Packed", .is_right = true},
                                                  {.heading = "Archive", .is_elastic = true}};
    struct olv_error err = {0};
    struct olv_text line = {0};
    char plain[OLV_SIZE_TEXT], packed[OLV_SIZE_TEXT];
    bool ok;
    if (!cli_has(l->cli, OPT_JSON))
        l->table = table_begin(l->cli, columns, 6);
    ok = !catalogue || olv_catalogue_archives(catalogue, show_archive, l, &err);
    table_end(l->table);
    ok = ok && (!catalogue || list_unfinished(l, catalogue, &err));
    if (!ok)
        return cli_report(l->cli, &err);
    if (cli_has(l->cli, OPT_JSON) || cli_has(l->cli, OPT_QUIET))
        return STATUS_DONE;
    term_count(&line, l->archives, "archive", "archives");
    olv_text_puts(&line, " with ");
    term_count(&line, l->members, "member", "members");
    printf("%s, %s in %s\n", olv_text_string(&line), olv_size_format(l->bytes, plain),
           olv_size_format(l->length, packed));
    olv_text_free(&line);
    return STATUS_DONE;
}

/* ---- verify ---- */

static void on_fault(void *self, const struct olv_depot_fault *f)
{
    struct looking *l = self;
    struct olv_text line = {0};
    l->faults++;
    watch_hide(l->cli);
    if (cli_has(l->cli, OPT_JSON)) {
        json_t *json = json_object();
        olv_json_string(json, "depot", f->depot);
        olv_json_name(json, "archive", f->archive);
        olv_json_string(json, "fault", f->what);
        if (*f->path)
            olv_json_name(json, "path", f->path);
        cli_print_json(json);
        return;
    }
    olv_text_printf(&line, "%s/", f->depot);
    term_name(&line, f->archive);
    olv_text_puts(&line, ": ");
    if (*f->path) {
        term_name(&line, f->path);
        olv_text_puts(&line, " ");
    }
    term_name(&line, f->what);
    printf("%s%s%s\n", term_begin(l->cli, STYLE_ERROR), olv_text_string(&line), term_end(l->cli));
    olv_text_free(&line);
}

static void print_report_json(const struct olv_depot_report *r)
{
    json_t *json = json_object();
    olv_json_number(json, "archives", r->archives);
    olv_json_number(json, "members", r->members);
    olv_json_number(json, "bytes", r->bytes);
    olv_json_number(json, "damaged_archives", r->damaged_archives);
    olv_json_number(json, "missing_archives", r->missing_archives);
    olv_json_number(json, "lost_members", r->lost_members);
    cli_print_json(json);
}

/* "Sound: 3 archives with 40 members, 12 MiB read"; what is to be said about faults follows. */
static void print_report(struct looking *l, const struct olv_depot_report *r, const char *word,
                         const char *faults)
{
    struct olv_text line = {0};
    char size[OLV_SIZE_TEXT];
    watch_clear(l->cli);
    if (cli_has(l->cli, OPT_JSON)) {
        print_report_json(r);
        return;
    }
    term_count(&line, r->archives, "archive", "archives");
    olv_text_puts(&line, " with ");
    term_count(&line, r->members, "member", "members");
    printf("%s%s%s %s, %s read%s.\n", term_begin(l->cli, l->faults ? STYLE_ERROR : STYLE_GOOD), word,
           term_end(l->cli), olv_text_string(&line), olv_size_format(r->bytes, size),
           l->faults ? faults : "");
    olv_text_free(&line);
}

static void print_verified(struct looking *l, const struct olv_depot_report *r)
{
    char faults[160];
    snprintf(faults, sizeof faults, "; %llu damaged, %llu missing, %llu %s lost",
             (unsigned long long)r->damaged_archives, (unsigned long long)r->missing_archives,
             (unsigned long long)r->lost_members, r->lost_members == 1 ? "file" : "files");
    print_report(l, r, l->faults ? "Not sound:" : "Sound:", faults);
}

static void print_rebuilt(struct looking *l, const struct olv_depot_report *r)
{
    char faults[160];
    snprintf(faults, sizeof faults, "; %llu damaged: `olvido depot verify` names the files that are lost",
             (unsigned long long)r->damaged_archives);
    print_report(l, r, "Read anew:", faults);
}

/* Without a catalogue nothing can be verified: that is sound only where the policy's depots are empty. */
static bool has_archives(struct looking *l)
{
    enum cli_status ignored = STATUS_DONE;
    char path[PATH_MAX];
    struct olv_policy *policy =
        cli_policy_path(l->cli, path, sizeof path, &ignored) && access(path, R_OK) == 0
            ? cli_load_policy(l->cli, path, &ignored)
            : NULL;
    uint64_t sum = 0, count;
    for (size_t i = 0; policy && i < policy->depot_count; i++) {
        struct olv_error err = {0};
        if (olv_depot_count(policy->depots[i].path, &count, &err))
            sum += count;
    }
    olv_policy_free(policy);
    if (sum)
        term_message(
            l->cli, STYLE_ERROR,
            "nothing was verified: there is no catalogue, and %llu %s in the policy's depots\n  `olvido "
            "depot rebuild` reads it anew from the archives",
            (unsigned long long)sum, sum == 1 ? "archive lies" : "archives lie");
    return sum > 0;
}

static enum cli_status cmd_depot_verify(struct looking *l, struct olv_catalogue *catalogue)
{
    struct olv_depot_report report = {0};
    struct olv_error err = {0};
    if (!catalogue && has_archives(l))
        return STATUS_BROKEN;
    if (catalogue && (!olv_depot_verify(catalogue, l->depot, on_fault, l, &l->cli->observer, &report, &err) ||
                      !list_unfinished(l, catalogue, &err)))
        return cli_report(l->cli, &err);
    watch_print_troubles(l->cli);
    print_verified(l, &report);
    return l->faults ? STATUS_BROKEN : l->unfinished ? STATUS_SOME_FAILED : STATUS_DONE;
}

/* ---- rebuild ---- */

static enum cli_status rebuild_one(struct looking *l, const char *state, const char *name, const char *path,
                                   struct olv_depot_report *sum)
{
    struct olv_depot_report report = {0};
    struct olv_error err = {0};
    if (!olv_depot_rebuild(state, name, path, on_fault, l, &l->cli->observer, &report, &err))
        return cli_report(l->cli, &err);
    sum->archives += report.archives;
    sum->members += report.members;
    sum->bytes += report.bytes;
    sum->damaged_archives += report.damaged_archives;
    return STATUS_DONE;
}

/* With the lock of the state directory, so that no run works with the catalogue meanwhile. */
static enum cli_status rebuild_policy(struct looking *l, const struct olv_policy *policy)
{
    char state[PATH_MAX];
    struct olv_run_options options = {
        .state = state, .command = "depot rebuild", .observer = &l->cli->observer};
    struct olv_depot_report sum = {0};
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    bool is_known = l->depot == NULL;
    struct olv_run *run;
    if (!cli_state_path(l->cli, state, sizeof state, &status))
        return status;
    run = olv_run_open(&options, &err);
    if (!run)
        return cli_report(l->cli, &err);
    for (size_t i = 0; i < policy->depot_count; i++) {
        const struct olv_depot *d = &policy->depots[i];
        if (l->depot && strcmp(l->depot, d->name) != 0)
            continue;
        is_known = true;
        status = rebuild_one(l, state, d->name, d->path, &sum);
        if (status != STATUS_DONE)
            break;
    }
    olv_run_close(run);
    if (!is_known)
        return cli_usage(l->cli, "the policy has no depot `%s`", l->depot);
    if (status != STATUS_DONE) { /* what was wrong has been said */
        term_message(l->cli, STYLE_WARN, "of this depot, and those behind it, the catalogue is as it was");
        return status;
    }
    watch_print_troubles(l->cli);
    print_rebuilt(l, &sum);
    return sum.damaged_archives ? STATUS_BROKEN : l->faults ? STATUS_SOME_FAILED : STATUS_DONE;
}

static enum cli_status rebuild(struct looking *l)
{
    enum cli_status status = STATUS_DONE;
    struct olv_policy *policy;
    char path[PATH_MAX];
    if (!cli_policy_path(l->cli, path, sizeof path, &status))
        return status;
    policy = cli_load_policy(l->cli, path, &status);
    if (policy)
        status = rebuild_policy(l, policy);
    olv_policy_free(policy);
    return status;
}

/* ---- */

static enum cli_status cmd_depot_run(struct cli *cli)
{
    struct looking l = {.cli = cli, .depot = cli->argument_count > 1 ? cli->arguments[1] : NULL};
    const char *what = cli->arguments[0];
    enum cli_status status = STATUS_DONE;
    struct olv_catalogue *catalogue = NULL;
    if (strcmp(what, "rebuild") == 0)
        return rebuild(&l);
    if (strcmp(what, "show") != 0 && strcmp(what, "verify") != 0)
        return cli_usage(cli, "`depot` can `show`, `verify` and `rebuild`, not `%s`", what);
    if (!items_open_catalogue(cli, &catalogue, &status))
        return status;
    status = strcmp(what, "show") == 0 ? cmd_depot_show(&l, catalogue) : cmd_depot_verify(&l, catalogue);
    olv_catalogue_close(catalogue);
    return status;
}

static const enum cli_option options[] = {OPT_NONE};

const struct cli_command cmd_depot = {
    .name = "depot",
    .stage = "Keep",
    .arguments = "show|verify|rebuild [NAME]",
    .summary = "Shows what lies in depots, reads it back, or reads the catalogue anew",
    .options = options,
    .least = 1,
    .most = 2,
    .run = cmd_depot_run,
};
