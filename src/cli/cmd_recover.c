/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/ask.h"
#include "cli/commands.h"
#include "cli/found_view.h"
#include "cli/items_view.h"
#include "cli/open_session.h"
#include "cli/run_view.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/ledger.h"

#include <limits.h>
#include <sys/stat.h>

struct recovering {
    struct cli *cli;
    struct items_request request;
    bool only_list, asks;
    bool is_stopped; /* answered `stop`: nothing more */
    struct found_view view;
};

static bool read_if_exists(struct recovering *r, enum cli_status *status)
{
    const char *words[OLV_IF_EXISTS_COUNT + 1];
    int word;
    if (!cli_has(r->cli, OPT_IF_EXISTS))
        return true;
    for (int i = 0; i < OLV_IF_EXISTS_COUNT; i++)
        words[i] = olv_if_exists_word((enum olv_if_exists)i);
    words[OLV_IF_EXISTS_COUNT] = "ask";
    word = cli_word(r->cli, OPT_IF_EXISTS, words, OLV_IF_EXISTS_COUNT + 1, status);
    r->asks = word == OLV_IF_EXISTS_COUNT;
    r->request.query.if_exists = word < 0 || r->asks ? OLV_REFUSE : (enum olv_if_exists)word;
    return word >= 0;
}

/* With --if-exists ask: what to do where something stands at the place of an item. */
static bool cmd_recover_approve(void *self, struct olv_docket_entry *entry)
{
    static const char *const answers[] = {"no", "number", "set-aside", "replace", "stop", NULL};
    static const enum olv_if_exists choices[] = {OLV_REFUSE, OLV_NUMBER, OLV_SET_ASIDE, OLV_REPLACE};
    struct recovering *r = self;
    struct olv_text question = {0};
    struct stat st;
    int answer;
    if (r->is_stopped || !r->asks || lstat(entry->target, &st) < 0)
        return !r->is_stopped;
    watch_clear(r->cli);
    term_name(&question, entry->target);
    olv_text_puts(&question,
                  " is there already. Recover the other one beside it (number), move this one aside "
                  "(set-aside), or replace it?");
    answer = ask(r->cli, olv_text_string(&question), answers);
    olv_text_free(&question);
    r->is_stopped = answer < 0 || answer == 4;
    if (answer > 0 && answer < 4)
        entry->if_exists = choices[answer];
    return answer > 0 && answer < 4;
}

static enum cli_status nothing_found(struct recovering *r)
{
    enum cli_status ignored;
    char state[PATH_MAX];
    if (cli_has(r->cli, OPT_RUN) && cli_state_path(r->cli, state, sizeof state, &ignored) &&
        !olv_ledger_has_run(state, cli_value(r->cli, OPT_RUN)))
        return cli_usage(r->cli, "the ledger knows no run %s; `olvido audit show` lists the runs",
                         cli_value(r->cli, OPT_RUN));
    term_message(r->cli, STYLE_WARN, "neither the trash nor a depot has anything that fits");
    fprintf(stderr, "  `olvido recover --list` shows all that can be recovered\n");
    watch_print_troubles(r->cli);
    return STATUS_SOME_FAILED;
}

static enum cli_status cmd_recover_carry_out(struct recovering *r, struct olv_session *session)
{
    struct olv_approval approval = {cmd_recover_approve, r};
    struct olv_run_result result = {0};
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    struct olv_spool *docket = olv_spool_new(&err);
    bool ok = docket &&
              olv_items_find(session->trashes, &r->request.query, docket, found_view_each, &r->view, &err);
    watch_expect(r->cli, r->view.found);
    if (ok && r->view.found == 0)
        status = nothing_found(r);
    else if (!ok)
        status = cli_report(r->cli, &err);
    else if (session_carry_out(r->cli, session, docket, &approval, &result, &status) || result.done)
        status = cli_worse(status, run_print_result(r->cli, session->run, &result, false));
    if (r->view.found && r->view.older_versions && !cli_has(r->cli, OPT_JSON))
        printf(r->view.older_versions == 1 ? "%llu older version stayed where it is\n"
                                           : "%llu older versions stayed where they are\n",
               (unsigned long long)r->view.older_versions);
    olv_spool_free(docket);
    return status;
}

static enum cli_status recover(struct recovering *r, struct olv_session *session)
{
    enum cli_status status = STATUS_DONE;
    if (session->catalogue_error.code != OLV_OK)
        return cli_status_of(session->catalogue_error.code); /* it was told */
    r->request.query.act = olv_act_named("recover");
    r->request.query.wants_versions = r->view.shows_versions;
    r->request.query.catalogue = session->catalogue;
    status = r->only_list ? found_view_list(&r->view, session->trashes, &r->request.query)
                          : cmd_recover_carry_out(r, session);
    watch_print_troubles(r->cli);
    return status;
}

static enum cli_status cmd_recover_run(struct cli *cli)
{
    struct recovering r = {.cli = cli,
                           .view = {.cli = cli, .shows_versions = cli_has(cli, OPT_VERSIONS)},
                           .only_list = cli_has(cli, OPT_LIST) || cli_has(cli, OPT_PREVIEW) ||
                                        cli_has(cli, OPT_VERSIONS)};
    enum cli_status status = STATUS_DONE;
    struct olv_session session = {0};
    bool names_any = cli->argument_count || cli_has(cli, OPT_RUN) || cli_has(cli, OPT_SINCE) ||
                     cli_has(cli, OPT_UNTIL) || cli_has(cli, OPT_AS_OF);
    if (!names_any && !r.only_list)
        return cli_usage(
            cli, "say what to recover: a path, a pattern, --run RUN, --since, --until or --as-of DATE");
    if (items_read_request(cli, 0, &r.request, &status) && read_if_exists(&r, &status)) {
        if (r.asks && !r.only_list && !ask_is_possible())
            status = cli_usage(
                cli, "--if-exists ask needs a terminal; refuse, skip, number, set-aside and replace do not");
        else if (session_open(cli, NULL, r.only_list ? NULL : "recover", &session, &status))
            status = recover(&r, &session);
    }
    olv_session_close(&session);
    items_free_request(&r.request);
    return status;
}

static const enum cli_option options[] = {OPT_LIST,  OPT_VERSIONS, OPT_PREVIEW, OPT_RUN,       OPT_SINCE,
                                          OPT_UNTIL, OPT_AS_OF,    OPT_INTO,    OPT_IF_EXISTS, OPT_NONE};

const struct cli_command cmd_recover = {
    .name = "recover",
    .stage = "Get back",
    .arguments = "[PATTERN…]",
    .summary = "Takes files back from the trash, or from a depot, to where they were",
    .options = options,
    .most = 4096,
    .run = cmd_recover_run,
};
