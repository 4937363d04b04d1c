/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/by_hand.h"

#include "cli/ask.h"
#include "cli/open_session.h"
#include "cli/views.h"

#include <string.h>

enum { ASKED_ABOVE = 3 };

bool by_hand_if_exists(struct cli *cli, enum olv_if_exists *out, bool *asks)
{
    const char *words[OLV_IF_EXISTS_COUNT + 1];
    int word = OLV_REFUSE;
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

/* ---- the question ---- */

static void add_reason(struct olv_text *out, uint64_t count, const char *one, const char *many)
{
    if (count)
        olv_text_printf(out, "%s%s", out->len ? "; " : "", COUNT(count, one, many));
}

/* Why it asks; empty if it need not. */
static void reasons(const struct olv_named *n, struct olv_text *out)
{
    if (n->files > ASKED_ABOVE)
        add_reason(out, n->files, "file", "files");
    add_reason(out, n->directories, "directory with all that is in it",
               "directories with all that is in them");
    add_reason(out, n->readonly, "file is read-only", "files are read-only");
    add_reason(out, n->others, "file belongs to another user", "files belong to other users");
}

static bool is_allowed(struct cli *cli, const struct by_hand *act, const struct olv_named *n)
{
    static const char *const answers[] = {"no", "yes", NULL};
    struct olv_text why = {0}, question = {0};
    bool ok = true;
    reasons(n, &why);
    if (act->takes_files && why.len && !cli_has(cli, OPT_YES)) {
        olv_text_printf(&question, "%c%s %s (%s)? %s %s: please confirm.", act->verb[0] - 'a' + 'A',
                        act->verb + 1, COUNT(n->files, "file", "files"), SIZE(n->bytes), act->consequence,
                        olv_text_string(&why));
        watch_clear(cli);
        if (ask_is_possible() && !cli_has(cli, OPT_JSON)) {
            ok = ask(cli, olv_text_string(&question), answers) == 1;
        } else {
            term_message(cli, STYLE_WARN, "nothing done: this needs an answer (%s). Use a terminal or --yes",
                         olv_text_string(&why));
            ok = false;
        }
    }
    olv_text_free(&why);
    olv_text_free(&question);
    return ok;
}

/* ---- what cannot be done ---- */

/* Whether there are any. */
static bool print_gaps(struct cli *cli, const struct olv_named *n)
{
    watch_print_troubles(cli);
    if (n->troubles)
        cli_mark(cli, STATUS_SOME_FAILED);
    if (n->guarded) {
        cli_mark(cli, STATUS_REFUSED);
        term_message(cli, STYLE_WARN, "%s left alone: in a system directory, or Olvido's own",
                     COUNT(n->guarded, "guarded file was", "guarded files were"));
    }
    return n->troubles || n->guarded;
}

static bool find_named(struct cli *cli, const struct by_hand *act, const struct olv_session *session,
                       struct olv_named *out)
{
    struct olv_named_options options = act->named;
    struct olv_error err = {0};
    options.guard = &session->guard;
    return olv_named_make(cli->arguments, cli->argument_count, &options, &cli->observer, out, &err) ||
           cli_report(cli, &err);
}

/* ---- doing ---- */

static void by_hand_carry_out(struct cli *cli, struct olv_session *session, const struct olv_named *n)
{
    struct olv_run_result result = {0};
    struct outcome_view view;
    watch_expect(cli, n->files);
    watch_expect_bytes(cli, n->bytes);
    outcome_view_begin(&view, cli, n->files);
    session_carry_out(cli, session, n->docket, NULL, &result);
    outcome_view_end(&view);
    run_print_result(cli, session->run, &result, false);
}

static void do_named(struct cli *cli, const struct by_hand *act, struct olv_session *session,
                     const struct olv_named *n)
{
    bool has_gaps = print_gaps(cli, n);
    if (n->files == 0 && !has_gaps)
        term_message(cli, STYLE_PLAIN, "%s; nothing was done", act->nothing);
    else if (n->files && is_allowed(cli, act, n))
        by_hand_carry_out(cli, session, n);
    else if (n->files)
        cli_mark(cli, STATUS_REFUSED);
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
    bool looks = cli_has(cli, OPT_PREVIEW),
         ok = session_open(cli, NULL, looks ? NULL : act->verb, &session) &&
              find_named(cli, act, &session, &n);
    if (ok && looks)
        preview(cli, &n);
    else if (ok)
        do_named(cli, act, &session, &n);
    olv_named_free(&n);
    olv_session_close(&session);
}
