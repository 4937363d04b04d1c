/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/ask.h"
#include "cli/by_hand.h"
#include "cli/commands.h"
#include "cli/open_session.h"
#include "cli/views.h"

struct recovering {
    struct cli *cli;
    struct items_request request;
    bool only_list;
    struct found_view view;
};

static void cmd_recover_carry_out(struct recovering *r, struct olv_session *session)
{
    struct olv_approval approval = {found_view_approve, &r->view};
    struct olv_run_result result = {0};
    struct olv_error err = {0};
    struct olv_spool *docket = olv_spool_new(&err);
    bool ok = docket &&
              olv_items_find(session->trashes, &r->request.query, docket, found_view_each, &r->view, &err) &&
              found_view_take_back(&r->view, session, docket, &err);
    watch_expect(r->cli, r->view.found);
    if (ok && r->view.found == 0)
        found_view_nothing(&r->view);
    else if (!ok)
        cli_report(r->cli, &err);
    else if (session_carry_out(r->cli, session, docket, &approval, &result) || result.done)
        run_print_result(r->cli, session->run, &result, false);
    if (r->view.older_versions && !cli_has(r->cli, OPT_JSON))
        printf("%s\n", COUNT(r->view.older_versions, "older version stayed where it is",
                             "older versions stayed where they are"));
    olv_spool_free(docket);
}

static void recover(struct recovering *r, struct olv_session *session)
{
    if (session->catalogue_error.code != OLV_OK) {
        cli_mark(r->cli, cli_status_of(session->catalogue_error.code)); /* reported already */
        return;
    }
    r->request.query.act = olv_act_named("recover");
    r->request.query.wants_versions = r->view.shows_versions;
    r->request.query.catalogue = session->catalogue;
    r->request.query.observer = &r->cli->observer;
    if (r->only_list)
        found_view_list(&r->view, session, &r->request.query);
    else
        cmd_recover_carry_out(r, session);
    watch_print_troubles(r->cli);
}

static bool check_request(struct recovering *r)
{
    const struct olv_item_query *q = &r->request.query;
    if (!r->only_list && !q->pattern_count && !q->run && !q->has_since && !q->has_until && !q->has_as_of)
        return cli_usage(r->cli, "say what to recover: a path, a pattern, --run RUN, --since, --until or "
                                 "--as-of DATE");
    if (r->view.asks && !r->only_list && !ask_is_possible(r->cli))
        return cli_usage(r->cli, "--if-exists ask needs a terminal; refuse, skip, number, set-aside and "
                                 "replace do not");
    return true;
}

static void cmd_recover_run(struct cli *cli)
{
    struct recovering r = {.cli = cli,
                           .view = {.cli = cli, .shows_versions = cli_has(cli, OPT_VERSIONS)},
                           .only_list = cli_has(cli, OPT_LIST) || cli_has(cli, OPT_PREVIEW) ||
                                        cli_has(cli, OPT_VERSIONS)};
    struct olv_session session = {0};
    if (items_read_request(cli, PATTERNS_ANYWHERE, &r.request) &&
        by_hand_if_exists(cli, &r.request.query.if_exists, &r.view.asks) && check_request(&r) &&
        session_open(cli, NULL, r.only_list ? NULL : "recover", &session))
        recover(&r, &session);
    olv_session_close(&session);
    items_free_request(&r.request);
}

const struct cli_command cmd_recover = {
    .name = "recover",
    .stage = "Get back",
    .arguments = "[PATTERN…]",
    .summary = "Recovers files from the trash or a depot",
    .options = {OPT_LIST, OPT_VERSIONS, OPT_PREVIEW, OPT_RUN, OPT_SINCE, OPT_UNTIL, OPT_AS_OF, OPT_INTO,
                OPT_IF_EXISTS},
    .run = cmd_recover_run,
};
