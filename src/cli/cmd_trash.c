/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/open_session.h"
#include "cli/views.h"
#include "olvido/machine.h"

#include <string.h>

enum { SHOW, CLEAR };

static void cmd_trash_count(void *self, const struct olv_found_item *found)
{
    struct found_sum *sum = self;
    sum->items++;
    sum->bytes += found->size_bytes;
    sum->files += found->files;
    sum->directories += found->kind == OLV_KIND_DIRECTORY;
}

static bool has_bare_pattern(const struct cli *cli)
{
    for (size_t i = 0; i < cli->argument_count; i++)
        if (!strchr(cli->arguments[i], '/'))
            return true;
    return false;
}

static void cmd_trash_clear(struct cli *cli, struct olv_session *session, const struct olv_item_query *query)
{
    struct found_sum sum = {0};
    struct olv_run_result result = {0};
    struct olv_error err = {0};
    struct olv_spool *docket = olv_spool_new(&err);
    if (!docket || !olv_items_find(session->trashes, query, docket, cmd_trash_count, &sum, &err)) {
        cli_report(cli, &err);
    } else if (sum.items == 0) {
        term_message(cli, STYLE_PLAIN, "nothing in the trash matches; nothing done%s",
                     has_bare_pattern(cli)
                         ? ". A pattern without a slash fits only what was in this directory; "
                           "begin it with **/ to fit it anywhere"
                         : "");
    } else if (trash_view_is_allowed(cli, &sum)) {
        watch_expect(cli, sum.items);
        session_carry_out(cli, session, docket, NULL, &result);
        run_print_result(cli, session->run, &result, false);
    }
    olv_spool_free(docket);
}

/* --older-than DURATION: discarded before that. */
static bool read_age(struct cli *cli, struct olv_item_query *query)
{
    struct olv_duration age = {0};
    if (!cli_duration(cli, OPT_OLDER_THAN, &age))
        return false;
    if (cli_has(cli, OPT_OLDER_THAN)) {
        query->has_until = true;
        query->until = olv_instant_cutoff(olv_os_now(), age);
    }
    return true;
}

static void cmd_trash_run(struct cli *cli)
{
    bool clears = cli->word == CLEAR && !cli_has(cli, OPT_PREVIEW);
    struct items_request request = {0};
    struct olv_session session = {0};
    if (items_read_request(cli, cli->word == CLEAR ? PATTERNS_HERE : PATTERNS_ANYWHERE, &request) &&
        read_age(cli, &request.query) && session_open(cli, NULL, clears ? "trash clear" : NULL, &session)) {
        request.query.act = olv_act_named("clear");
        if (clears)
            cmd_trash_clear(cli, &session, &request.query);
        else
            trash_view_show(cli, session.trashes, &request.query);
        watch_print_troubles(cli);
    }
    olv_session_close(&session);
    items_free_request(&request);
}

const struct cli_command cmd_trash = {
    .name = "trash",
    .stage = "Get back",
    .words = {[SHOW] = "show", [CLEAR] = "clear"},
    .arguments = "[PATTERN…]",
    .summary = "Lists the trashes, oldest first, or removes items for good",
    .options = {OPT_RUN, OPT_SINCE, OPT_UNTIL, OPT_OLDER_THAN, OPT_YES, OPT_COUNT_TYPED, OPT_PREVIEW},
    .run = cmd_trash_run,
};
