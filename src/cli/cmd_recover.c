/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/plan_view.h"
#include "cli/run_view.h"
#include "cli/table.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/json.h"
#include "olvido/quantity.h"
#include "olvido/recover.h"
#include "olvido/run.h"

#include <errno.h>
#include <limits.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

struct recovering {
    struct cli *cli;
    struct olv_recover_options options;
    const char **patterns; /* owned, and so are they */
    bool only_list;
    struct table *table;
    uint64_t found, bytes, older_versions;
};

/* ---- what is asked for ---- */

/* The absolute form of a path or pattern; "." and ".." in it are worked out by their
 * names, for what it names is not there any more. */
static char *make_absolute(const char *pattern)
{
    struct olv_text path = {0};
    char *copy, *rest, *part, here[PATH_MAX];
    if (pattern[0] != '/' && getcwd(here, sizeof here))
        olv_text_puts(&path, strcmp(here, "/") ? here : "");
    copy = rest = strdup(pattern);
    while (copy && (part = strtok_r(rest, "/", &rest))) {
        if (strcmp(part, ".") == 0)
            continue;
        if (strcmp(part, "..") == 0) {
            while (path.len && path.data[--path.len] != '/')
                ;
            if (path.data)
                path.data[path.len] = '\0';
            continue;
        }
        olv_text_puts(&path, "/");
        olv_text_puts(&path, part);
    }
    free(copy);
    if (path.len == 0)
        olv_text_puts(&path, "/");
    return path.data;
}

static bool add_pattern(struct recovering *r, const char *pattern)
{
    if (pattern)
        r->patterns[r->options.pattern_count++] = pattern;
    return pattern != NULL;
}

/* A word without a slash is a name anywhere, and what was here or below it under that name. */
static bool read_patterns(struct recovering *r)
{
    struct cli *cli = r->cli;
    r->patterns = calloc(2 * cli->argument_count + 1, sizeof *r->patterns);
    if (!r->patterns)
        return false;
    r->options.patterns = r->patterns;
    for (size_t i = 0; i < cli->argument_count; i++) {
        const char *word = cli->arguments[i];
        if (!add_pattern(r, make_absolute(word)) || (!strchr(word, '/') && !add_pattern(r, strdup(word))))
            return false;
    }
    return true;
}

/* ---- showing ---- */

static void print_json_row(const struct olv_recoverable *found)
{
    json_t *json = json_object();
    olv_json_name(json, "path", found->path);
    olv_json_name(json, "item", found->item);
    olv_json_instant(json, "deleted", found->deleted);
    olv_json_string(json, "kind", olv_kind_word(found->kind));
    olv_json_number(json, "size", found->size_bytes);
    olv_json_number(json, "older_versions", found->older_versions);
    cli_print_json(json);
}

static void each(void *self, const struct olv_recoverable *found)
{
    struct recovering *r = self;
    struct olv_text path = {0};
    char size[OLV_SIZE_TEXT], date[TERM_DATE];
    r->found++;
    r->bytes += found->size_bytes;
    r->older_versions += found->older_versions;
    if (!r->only_list)
        return;
    if (cli_has(r->cli, OPT_JSON)) {
        print_json_row(found);
        return;
    }
    term_name(&path, found->path);
    if (found->older_versions)
        olv_text_printf(&path, " (and %llu older)", (unsigned long long)found->older_versions);
    table_cell(r->table, STYLE_PLAIN, term_date(found->deleted, date));
    table_cell(r->table, STYLE_PLAIN, olv_size_format(found->size_bytes, size));
    table_cell(r->table, STYLE_PLAIN, olv_text_string(&path));
    olv_text_free(&path);
}

static enum cli_status list(struct recovering *r, struct olv_trash *trash)
{
    static const struct table_column columns[] = {{.heading = "Discarded", .width = 16},
                                                  {.heading = "Size", .is_right = true, .width = 10},
                                                  {.heading = "Goes back to", .is_elastic = true}};
    struct olv_error err = {0};
    struct olv_text line = {0};
    char size[OLV_SIZE_TEXT];
    bool ok;
    r->table = cli_has(r->cli, OPT_JSON) ? NULL : table_begin(r->cli, columns, 3);
    ok = olv_recover_find(trash, &r->options, NULL, each, r, &err);
    table_end(r->table);
    if (!ok)
        return cli_report(r->cli, &err);
    if (cli_has(r->cli, OPT_JSON) || cli_has(r->cli, OPT_QUIET))
        return STATUS_DONE;
    term_count(&line, r->found, "file", "files");
    printf("%s, %s, can be recovered\n", olv_text_string(&line), olv_size_format(r->bytes, size));
    olv_text_free(&line);
    return STATUS_DONE;
}

/* ---- doing ---- */

static enum cli_status nothing_found(struct recovering *r)
{
    term_message(r->cli, STYLE_WARN, "the trash has nothing that fits");
    fprintf(stderr, "  `olvido recover --list` shows all that can be recovered\n");
    return STATUS_SOME_FAILED;
}

static enum cli_status carry_out(struct recovering *r, struct olv_run *run, struct olv_trash *trash)
{
    struct olv_run_result result = {0};
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    struct olv_spool *docket = olv_spool_new(&err);
    bool ok = docket && olv_recover_find(trash, &r->options, docket, each, r, &err);
    watch_expect(r->cli, r->found);
    if (ok && r->found == 0) {
        olv_spool_free(docket);
        return nothing_found(r);
    }
    if (!ok || !olv_run_prepare(run, OLV_ACT_RECOVER, &err) || !olv_run_carry_out(run, docket, &result, &err))
        status = cli_report(r->cli, &err);
    if (docket && (status == STATUS_DONE || result.done))
        status = cli_worse(status, run_print_result(r->cli, run, &result, "recovered", false));
    if (r->older_versions && !cli_has(r->cli, OPT_JSON))
        printf("%llu older %s of the same paths stayed in the trash\n", (unsigned long long)r->older_versions,
               r->older_versions == 1 ? "version" : "versions");
    olv_spool_free(docket);
    return status;
}

static enum cli_status recover(struct recovering *r, struct olv_trash *trash, const char *trash_path)
{
    struct olv_guard guard = {0};
    struct olv_run_options options = {.state = r->options.state,
                                      .trash = trash_path,
                                      .command = "recover",
                                      .guard = &guard,
                                      .observer = &r->cli->observer};
    struct olv_error err = {0};
    enum cli_status status;
    struct olv_run *run = olv_run_open(&options, &err);
    if (!run)
        return cli_report(r->cli, &err);
    run_print_settled(r->cli, run);
    status = carry_out(r, run, trash);
    olv_run_close(run);
    return status;
}

static enum cli_status with_trash(struct recovering *r)
{
    char path[PATH_MAX];
    struct olv_error err = {0};
    enum cli_status status;
    struct olv_trash *trash =
        olv_trash_home(path, sizeof path, &err) ? olv_trash_open(path, false, &err) : NULL;
    if (!trash && err.sys == ENOENT)
        return r->only_list ? STATUS_DONE : nothing_found(r);
    if (!trash)
        return cli_report(r->cli, &err);
    status = r->only_list ? list(r, trash) : recover(r, trash, path);
    olv_trash_close(trash);
    return status;
}

static enum cli_status run(struct cli *cli)
{
    struct recovering r = {.cli = cli, .only_list = cli_has(cli, OPT_LIST) || cli_has(cli, OPT_PREVIEW)};
    enum cli_status status = STATUS_DONE;
    char state[PATH_MAX];
    if (!cli_state_path(cli, state, sizeof state, &status))
        return status;
    r.options.state = state;
    r.options.run = cli_value(cli, OPT_RUN);
    if (cli->argument_count == 0 && !r.options.run && !r.only_list)
        return cli_usage(cli, "say what to recover: a path, a pattern, or --run RUN");
    status = read_patterns(&r) ? with_trash(&r) : STATUS_SOME_FAILED;
    for (size_t i = 0; i < r.options.pattern_count; i++)
        free((char *)(uintptr_t)r.patterns[i]);
    free(r.patterns);
    return status;
}

static const enum cli_option options[] = {OPT_LIST, OPT_PREVIEW, OPT_RUN, OPT_NONE};

const struct cli_command cmd_recover = {
    .name = "recover",
    .stage = "Get back",
    .arguments = "[PATTERN…]",
    .summary = "Takes files back from the trash to where they were",
    .help = "A PATTERN is a path: it takes back what was there or below it; * and ? match within a name, ** "
            "across directories.\n"
            "One without a slash fits such a name anywhere, too. --run takes back what one run discarded. Of "
            "several versions\n"
            "of a path the newest is taken. Directories that are gone are made again, for you alone; nothing "
            "is ever "
            "overwritten: what finds\n"
            "its place taken stays in the trash, is named, and the exit status is 3. Quote patterns, so that "
            "the shell leaves\n"
            "them alone.\n",
    .options = options,
    .most = 4096,
    .run = run,
};
