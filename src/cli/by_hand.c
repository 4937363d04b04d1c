/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/by_hand.h"

#include "cli/ask.h"
#include "cli/commands.h"
#include "cli/confirm.h"
#include "cli/in_the_way.h"
#include "cli/open_session.h"
#include "cli/views.h"

#include <string.h>

bool by_hand_if_exists(struct cli *cli, enum olv_if_exists *out, bool *asks)
{
    const char *words[OLV_IF_EXISTS_COUNT + 1];
    int word = OLV_REFUSE;
    if (!cli_has(cli, OPT_IF_EXISTS)) {
        *out = cli->settings.if_exists;
        if (asks)
            *asks = cli->settings.asks_if_exists && ask_is_possible(cli);
        return true;
    }
    for (int i = 0; i < OLV_IF_EXISTS_COUNT; i++)
        words[i] = olv_if_exists_word((enum olv_if_exists)i);
    words[OLV_IF_EXISTS_COUNT] = "ask";
    if (!cli_word(cli, OPT_IF_EXISTS, words, OLV_IF_EXISTS_COUNT + (asks != NULL), &word))
        return false;
    if (asks)
        *asks = word == OLV_IF_EXISTS_COUNT;
    *out = word == OLV_IF_EXISTS_COUNT ? OLV_REFUSE : (enum olv_if_exists)word;
    return true;
}

/* A mistake in the command line says where to find help. */
static bool by_hand_refuse(struct cli *cli, const struct olv_error *err)
{
    return err->code == OLV_USAGE ? cli_usage(cli, "%s", err->what) : cli_report(cli, err);
}

/* The option that has the name of the key. */
static enum cli_option option_of(const struct cli *cli, const struct olv_key *key)
{
    const enum cli_option *id = cli->command->options;
    while (*id != OPT_NONE && strcmp(cli_option_name(*id), key->name) != 0)
        id++;
    return *id;
}

bool by_hand_arguments(struct cli *cli, const struct olv_act *act, struct olv_arguments *out)
{
    struct olv_error err = {0};
    bool ok = olv_arguments_begin(out, act, &err);
    for (const struct olv_key *key = act->keys; ok && key && key->name; key++) {
        enum cli_option option = key->by & OLV_BY_OPTION ? option_of(cli, key) : OPT_NONE;
        if (option != OPT_NONE && cli_has(cli, option))
            ok = olv_arguments_set(out, key->name, cli_value(cli, option) ? cli_value(cli, option) : "yes",
                                   &err);
    }
    return ok || by_hand_refuse(cli, &err);
}

bool by_hand_complete(struct cli *cli, struct olv_arguments *arguments, const struct olv_depot *depot)
{
    struct olv_error err = {0};
    return olv_arguments_complete(arguments, depot, &err) || by_hand_refuse(cli, &err);
}

/* ---- what cannot be done ---- */

/* Whether there are any. */
static bool print_gaps(struct cli *cli, const struct olv_named *n)
{
    watch_print_troubles(cli);
    if (n->troubles)
        cli_mark(cli, STATUS_SOME_FAILED);
    if (n->guarded)
        term_message(cli, STYLE_WARN, "%s left alone: in a system directory, or Olvido's own",
                     COUNT(n->guarded, "guarded file was", "guarded files were"));
    if (n->guarded || n->left)
        cli_mark(cli, STATUS_REFUSED);
    return n->troubles || n->guarded || n->left;
}

static bool find_named(struct cli *cli, const struct by_hand *act, const struct olv_session *session,
                       struct olv_named *out)
{
    struct olv_named_options options = act->named;
    struct olv_error err = {0};
    options.guard = &session->guard;
    options.holds = session->options.holds;
    options.reg = session->reg;
    return olv_named_make(act->paths ? act->paths : cli->arguments,
                          act->paths ? act->path_count : cli->argument_count, &options, &cli->observer, out,
                          &err) ||
           cli_report(cli, &err);
}

/* ---- doing ---- */

/* Whether what went is to be taken back. */
static bool carry_out_removal(struct cli *cli, struct olv_session *session, const struct confirm *c,
                              const struct olv_approval *approval, struct olv_run_result *result)
{
    struct removal_view view;
    struct in_the_way way;
    removal_view_begin(&view, cli, c->act->named.act->past, c->named->entries, c->act->paths,
                       c->act->path_count);
    in_the_way_begin(&way, c);
    session_carry_out(cli, session, c->named->docket, approval, result);
    in_the_way_end(&way);
    removal_view_end(&view);
    return way.takes_back;
}

static void carry_out_others(struct cli *cli, struct olv_session *session, const struct olv_named *n,
                             struct olv_run_result *result)
{
    struct outcome_view view;
    outcome_view_begin(&view, cli, n->files);
    session_carry_out(cli, session, n->docket, NULL, result);
    outcome_view_end(&view);
}

static bool by_hand_carry_out(struct cli *cli, struct olv_session *session, struct confirm *confirm)
{
    const struct olv_named *n = confirm->named;
    const struct olv_approval approval = {confirm_entry, confirm};
    struct olv_run_result result = {0};
    bool is_marked = confirm->act->named.is_marked;
    bool removes = confirm->act->named.is_removed || is_marked, takes_back = false;
    watch_expect(cli, n->files);
    watch_expect_bytes(cli, n->bytes);
    if (removes)
        takes_back = carry_out_removal(cli, session, confirm,
                                       confirm_is_about_each(confirm) ? &approval : NULL, &result);
    else
        carry_out_others(cli, session, n, &result);
    result.left_before = n->left + n->guarded;
    run_print_result(cli, session->run, &result, removes && !takes_back);
    if (result.left > result.without_gain)
        cli_mark(cli, STATUS_REFUSED);
    return takes_back && result.has_begun;
}

/* Whether what went is to be taken back. */
static bool do_named(struct cli *cli, const struct by_hand *act, struct olv_session *session,
                     const struct olv_named *n)
{
    struct confirm confirm = {.cli = cli, .act = act, .named = n};
    bool has_gaps = print_gaps(cli, n), has_work = n->files + n->goes > 0;
    bool fits_nothing = act->named.matching && !n->caught, takes_back = false;
    if (fits_nothing)
        cli_mark(cli, STATUS_SOME_FAILED);
    if (!has_work && (!has_gaps || act->named.is_removed || act->named.is_marked))
        term_message(cli, STYLE_PLAIN, "%s; nothing was done",
                     fits_nothing ? "no name fits the pattern" : act->nothing);
    else if (has_work && confirm_all(&confirm))
        takes_back = by_hand_carry_out(cli, session, &confirm);
    else if (has_work)
        cli_mark(cli, STATUS_REFUSED);
    return takes_back;
}

/* As the closing line of that run says. */
static void take_back(struct cli *cli, const char *run)
{
    watch_stop(cli, false);
    if (cli_go_on_as(cli, &cmd_recover, OPT_RUN, run))
        cmd_recover.run(cli);
}

static void preview(struct cli *cli, const struct olv_named *n)
{
    struct olv_error err = {0};
    watch_clear(cli);
    if (!docket_print(cli, n->docket, (struct docket_filter){.has_total = true}, &err))
        cli_report(cli, &err);
    print_gaps(cli, n);
}

void by_hand(struct cli *cli, const struct by_hand *act)
{
    struct olv_session session = {0};
    struct olv_named n = {0};
    char run[OLV_RUN_ID_SIZE] = ""; /* to take back */
    bool looks = cli_has(cli, OPT_PREVIEW),
         ok = session_open(cli, NULL, looks ? NULL : act->verb, &session) &&
              find_named(cli, act, &session, &n);
    if (ok && looks)
        preview(cli, &n);
    else if (ok && do_named(cli, act, &session, &n))
        snprintf(run, sizeof run, "%s", olv_run_id(session.run));
    olv_named_free(&n);
    olv_session_close(&session);
    if (*run)
        take_back(cli, run);
}
