/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/ask.h"
#include "cli/commands.h"
#include "cli/items_view.h"
#include "cli/open_session.h"
#include "cli/run_view.h"
#include "cli/term.h"
#include "cli/trash_view.h"
#include "cli/watch.h"
#include "olvido/machine.h"
#include "olvido/permission.h"
#include "olvido/quantity.h"

#include <string.h>

struct clearing {
    struct cli *cli;
    struct olv_session *session;
    uint64_t items, bytes, directories;
};

static void cmd_trash_count(void *self, const struct olv_found_item *found)
{
    struct clearing *c = self;
    c->items++;
    c->bytes += found->size_bytes;
    c->directories += found->kind == OLV_KIND_DIRECTORY;
}

static void cmd_trash_describe(const struct clearing *c, struct olv_text *out)
{
    char size[OLV_SIZE_TEXT];
    olv_text_puts(out, "Remove ");
    term_count(out, c->items, "item", "items");
    olv_text_printf(out, " (%s)", olv_size_format(c->bytes, size));
    if (c->directories) {
        olv_text_puts(out, ", among them ");
        term_count(out, c->directories, "directory with all that is in it",
                   "directories with all that is in them");
        olv_text_puts(out, ",");
    }
    olv_text_puts(out, " from the trash for good? Nothing brings them back.");
}

static void say_why_not(const struct clearing *c, const struct olv_allowance *allowance)
{
    unsigned long long items = c->items;
    if (allowance->has_count)
        term_message(c->cli, STYLE_WARN,
                     "--count %llu is not the number of items that fit: %llu; nothing was done",
                     (unsigned long long)allowance->count, items);
    else if (olv_needs_count(c->items, c->directories))
        term_message(c->cli, STYLE_WARN,
                     "nothing was removed: that cannot be taken back, so it needs --count %llu, or a "
                     "terminal to ask on",
                     items);
    else
        term_message(c->cli, STYLE_WARN,
                     "nothing was removed without being asked: there is no terminal, and no --yes");
}

/* Asks where that is needed. */
static bool is_allowed(const struct clearing *c, enum cli_status *status)
{
    static const char *const answers[] = {"no", "yes", NULL};
    struct olv_allowance allowance = {.says_yes = cli_has(c->cli, OPT_YES),
                                      .has_count = cli_has(c->cli, OPT_COUNT_TYPED),
                                      .can_ask = ask_is_possible() && !cli_has(c->cli, OPT_JSON)};
    struct olv_text question = {0};
    bool ok = false;
    if (allowance.has_count && !cli_number(c->cli, OPT_COUNT_TYPED, &allowance.count, status))
        return false;
    *status = STATUS_REFUSED;
    cmd_trash_describe(c, &question);
    switch (olv_permission_to_end(&allowance, c->items, c->directories, c->items)) {
    case OLV_ENDING_ALLOWED:
        ok = true;
        break;
    case OLV_ENDING_ASKS:
        ok = ask(c->cli, olv_text_string(&question), answers) == 1;
        break;
    case OLV_ENDING_ASKS_COUNT:
        ok = ask_count(c->cli, olv_text_string(&question), c->items);
        break;
    default:
        say_why_not(c, &allowance);
        break;
    }
    olv_text_free(&question);
    return ok;
}

static enum cli_status cmd_trash_carry_out(struct clearing *c, struct olv_spool *docket)
{
    struct olv_run_result result = {0};
    enum cli_status status = STATUS_DONE;
    watch_expect(c->cli, c->items);
    session_carry_out(c->cli, c->session, docket, NULL, &result, &status);
    return cli_worse(status, run_print_result(c->cli, c->session->run, &result, false));
}

static enum cli_status cmd_trash_clear(struct cli *cli, struct olv_session *session,
                                       const struct olv_item_query *query)
{
    struct clearing c = {.cli = cli, .session = session};
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    struct olv_spool *docket = olv_spool_new(&err);
    if (!docket || !olv_items_find(session->trashes, query, docket, cmd_trash_count, &c, &err))
        status = cli_report(cli, &err);
    else if (c.items == 0)
        term_message(cli, STYLE_PLAIN, "the trash has nothing that fits; nothing was done");
    else if (is_allowed(&c, &status))
        status = cmd_trash_carry_out(&c, docket);
    olv_spool_free(docket);
    return status;
}

/* --older-than DURATION: discarded before that. */
static bool read_age(struct cli *cli, struct olv_item_query *query, enum cli_status *status)
{
    struct olv_duration age;
    if (!cli_has(cli, OPT_OLDER_THAN))
        return true;
    if (!cli_duration(cli, OPT_OLDER_THAN, &age, status))
        return false;
    query->has_until = true;
    query->until = olv_instant_cutoff(olv_os_now(), age);
    return true;
}

static enum cli_status cmd_trash_run(struct cli *cli)
{
    bool clears = strcmp(cli->arguments[0], "clear") == 0;
    struct items_request request;
    struct olv_session session = {0};
    enum cli_status status = STATUS_DONE;
    if (!clears && strcmp(cli->arguments[0], "show") != 0)
        return cli_usage(cli, "`trash` can `show` and `clear`, not `%s`", cli->arguments[0]);
    clears = clears && !cli_has(cli, OPT_PREVIEW);
    if (items_read_request(cli, 1, &request, &status) && read_age(cli, &request.query, &status) &&
        session_open(cli, NULL, clears ? "trash clear" : NULL, &session, &status)) {
        request.query.act = olv_act_named("clear");
        status = clears ? cmd_trash_clear(cli, &session, &request.query)
                        : trash_view_show(cli, session.trashes, &request.query);
        watch_print_troubles(cli);
    }
    olv_session_close(&session);
    items_free_request(&request);
    return status;
}

static const enum cli_option options[] = {OPT_RUN, OPT_SINCE,       OPT_UNTIL,   OPT_OLDER_THAN,
                                          OPT_YES, OPT_COUNT_TYPED, OPT_PREVIEW, OPT_NONE};

const struct cli_command cmd_trash = {
    .name = "trash",
    .stage = "Get back",
    .arguments = "show|clear [PATTERN…]",
    .summary = "Shows what lies in the trashes, oldest first, or removes it for good",
    .options = options,
    .least = 1,
    .most = 4096,
    .run = cmd_trash_run,
};
