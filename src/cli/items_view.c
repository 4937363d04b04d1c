/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/views.h"
#include "olvido/trust.h"

#include <errno.h>
#include <limits.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

char *items_absolute(struct cli *cli, const char *pattern)
{
    struct olv_text path = {0};
    struct olv_error err = {0};
    char *copy, *rest, *part, here[PATH_MAX] = "";
    if (pattern[0] != '/' && !getcwd(here, sizeof here)) {
        olv_fail_system(&err, pattern, "cannot find out in which directory this is");
        cli_report(cli, &err);
        return NULL;
    }
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
    if (!path.failed)
        return path.data;
    olv_text_free(&path);
    cli_memory(cli);
    return NULL;
}

bool items_open_catalogue(struct cli *cli, struct olv_catalogue **out)
{
    char state[PATH_MAX];
    struct olv_error err = {0};
    if (!cli_state_path(cli, state, sizeof state))
        return false;
    *out = olv_catalogue_open(state, &err);
    return *out || err.sys == ENOENT || cli_report(cli, &err);
}

static bool add_pattern(struct items_request *r, const char *pattern)
{
    if (pattern)
        r->patterns[r->query.pattern_count++] = pattern;
    return pattern != NULL;
}

/* A word without a slash matches a name anywhere, and what was here under that name or below it. */
static bool read_patterns(struct cli *cli, struct items_request *r)
{
    r->patterns = calloc(2 * cli->argument_count + 1, sizeof *r->patterns);
    if (!r->patterns)
        return false;
    r->query.patterns = r->patterns;
    for (size_t i = 0; i < cli->argument_count; i++) {
        const char *word = cli->arguments[i];
        if (!add_pattern(r, items_absolute(cli, word)) ||
            (!strchr(word, '/') && !add_pattern(r, strdup(word))))
            return false;
    }
    return true;
}

bool items_read_request(struct cli *cli, struct items_request *r)
{
    struct olv_error err = {0};
    *r = (struct items_request){.query = {.rule = OLV_BY_HAND, .run = cli_value(cli, OPT_RUN)}};
    if (!cli_instant(cli, OPT_SINCE, &r->query.since, &r->query.has_since) ||
        !cli_instant(cli, OPT_UNTIL, &r->query.until, &r->query.has_until) ||
        !cli_instant(cli, OPT_AS_OF, &r->query.as_of, &r->query.has_as_of))
        return false;
    if (cli_has(cli, OPT_INTO)) {
        r->into = olv_path_resolve(cli_value(cli, OPT_INTO), &err);
        if (!r->into && err.sys != ENOENT)
            return cli_report(cli, &err);
        if (!r->into)
            r->into = items_absolute(cli, cli_value(cli, OPT_INTO));
    }
    r->query.into = r->into;
    if ((!cli_has(cli, OPT_INTO) || r->into) && read_patterns(cli, r))
        return true;
    cli_mark(cli, STATUS_SOME_FAILED);
    return false;
}

void items_free_request(struct items_request *r)
{
    for (size_t i = 0; i < r->query.pattern_count; i++)
        free((char *)(uintptr_t)r->patterns[i]);
    free(r->patterns);
    free(r->into);
}

void items_print_json(const struct olv_found_item *found, bool with_target)
{
    json_t *json = json_object();
    olv_json_name(json, "path", found->path);
    if (with_target)
        olv_json_name(json, "target", found->target);
    olv_json_name(json, "item", found->item);
    if (found->trash)
        olv_json_name(json, "trash", olv_trash_path(found->trash));
    else
        olv_json_string(json, "depot", found->depot);
    if (found->deleted.s)
        olv_json_instant(json, "deleted", found->deleted);
    if (with_target)
        olv_json_instant(json, "modified", found->modified);
    olv_json_string(json, "kind", olv_kind_word(found->kind));
    olv_json_number(json, "size", found->size_bytes);
    olv_json_number(json, "files", found->files);
    olv_json_string(json, "state", olv_trash_state_word(found->state));
    if (with_target)
        olv_json_number(json, "older_versions", found->older_versions);
    cli_print_json(json);
}
