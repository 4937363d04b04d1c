/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/views.h"
#include "olvido/trust.h"

#include <errno.h>
#include <limits.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

bool items_open_catalogue(struct cli *cli, struct olv_catalogue **out)
{
    char state[PATH_MAX];
    struct olv_error err = {0};
    if (!cli_state_path(cli, state, sizeof state))
        return false;
    *out = olv_catalogue_open(state, &err);
    return *out || err.sys == ENOENT || cli_report(cli, &err);
}

bool items_read_request(struct cli *cli, enum patterns_of of, struct items_request *r)
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
            r->into = patterns_absolute(cli, cli_value(cli, OPT_INTO), false);
    }
    r->query.into = r->into;
    if ((cli_has(cli, OPT_INTO) && !r->into) ||
        !patterns_read(cli, of, cli->arguments, cli->argument_count, &r->patterns))
        return false;
    r->query.patterns = r->patterns.items;
    r->query.pattern_count = r->patterns.count;
    return true;
}

void items_free_request(struct items_request *r)
{
    patterns_free(&r->patterns);
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
