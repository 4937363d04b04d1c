/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/by_hand.h"

#include "cli/ask.h"
#include "cli/docket_view.h"
#include "cli/open_session.h"
#include "cli/outcome_view.h"
#include "cli/run_view.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/quantity.h"

enum { ASKED_ABOVE = 3 };

bool by_hand_if_exists(struct cli *cli, enum olv_if_exists *out, enum cli_status *status)
{
    const char *words[OLV_IF_EXISTS_COUNT];
    int word;
    if (!cli_has(cli, OPT_IF_EXISTS))
        return true;
    for (int i = 0; i < OLV_IF_EXISTS_COUNT; i++)
        words[i] = olv_if_exists_word((enum olv_if_exists)i);
    word = cli_word(cli, OPT_IF_EXISTS, words, OLV_IF_EXISTS_COUNT, status);
    *out = word < 0 ? OLV_REFUSE : (enum olv_if_exists)word;
    return word >= 0;
}

/* ---- the question ---- */

static void add_reason(struct olv_text *out, uint64_t count, const char *one, const char *many)
{
    if (count == 0)
        return;
    olv_text_puts(out, out->len ? "; " : "");
    term_count(out, count, one, many);
}

/* Why it asks; empty where it need not. */
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
    char size[OLV_SIZE_TEXT];
    bool ok = true;
    reasons(n, &why);
    if (act->takes_files && why.len && !cli_has(cli, OPT_YES)) {
        olv_text_printf(&question, "%c%s ", act->verb[0] - 'a' + 'A', act->verb + 1);
        term_count(&question, n->files, "file", "files");
        olv_text_printf(&question, " (%s)? %s It asks because of: %s.", olv_size_format(n->bytes, size),
                        act->consequence, olv_text_string(&why));
        watch_clear(cli);
        if (ask_is_possible() && !cli_has(cli, OPT_JSON)) {
            ok = ask(cli, olv_text_string(&question), answers) == 1;
        } else {
            term_message(cli, STYLE_WARN,
                         "nothing was done without being asked (%s): there is no terminal, and no --yes",
                         olv_text_string(&why));
            ok = false;
        }
    }
    olv_text_free(&why);
    olv_text_free(&question);
    return ok;
}

/* ---- what cannot be done ---- */

static enum cli_status print_gaps(struct cli *cli, const struct olv_named *n)
{
    enum cli_status status = n->troubles ? STATUS_SOME_FAILED : STATUS_DONE;
    watch_print_troubles(cli);
    if (n->guarded == 0)
        return status;
    term_message(cli, STYLE_WARN, "%llu guarded %s left alone: in a system directory, or Olvido's own",
                 (unsigned long long)n->guarded, n->guarded == 1 ? "file was" : "files were");
    return cli_worse(status, STATUS_REFUSED);
}

static bool find_named(struct cli *cli, const struct by_hand *act, const struct olv_session *session,
                       struct olv_named *out, enum cli_status *status)
{
    struct olv_named_options options = act->named;
    struct olv_error err = {0};
    options.guard = &session->guard;
    if (olv_named_make(cli->arguments, cli->argument_count, &options, &cli->observer, out, &err))
        return true;
    *status = cli_report(cli, &err);
    return false;
}

/* ---- doing ---- */

static enum cli_status by_hand_carry_out(struct cli *cli, struct olv_session *session,
                                         const struct olv_named *n)
{
    struct olv_run_result result = {0};
    struct outcome_view view;
    enum cli_status status = STATUS_DONE;
    watch_expect(cli, n->files);
    watch_expect_bytes(cli, n->bytes);
    outcome_view_begin(&view, cli, n->files);
    session_carry_out(cli, session, n->docket, NULL, &result, &status);
    outcome_view_end(&view);
    return cli_worse(status, run_print_result(cli, session->run, &result, false));
}

static enum cli_status do_named(struct cli *cli, const struct by_hand *act, struct olv_session *session,
                                const struct olv_named *n)
{
    enum cli_status gaps = print_gaps(cli, n), status = STATUS_DONE;
    if (n->files == 0 && gaps == STATUS_DONE)
        term_message(cli, STYLE_PLAIN, "%s; nothing was done", act->nothing);
    else if (n->files && is_allowed(cli, act, n))
        status = by_hand_carry_out(cli, session, n);
    else if (n->files)
        status = STATUS_REFUSED;
    return cli_worse(status, gaps);
}

static enum cli_status preview(struct cli *cli, const struct olv_named *n)
{
    struct docket_filter filter = {0};
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    watch_clear(cli);
    if (!docket_print(cli, n->docket, filter, cli_has(cli, OPT_JSON), &err))
        status = cli_report(cli, &err);
    return cli_worse(status, print_gaps(cli, n));
}

enum cli_status by_hand(struct cli *cli, const struct by_hand *act)
{
    struct olv_session session = {0};
    struct olv_named n = {0};
    enum cli_status status = STATUS_DONE;
    bool looks = cli_has(cli, OPT_PREVIEW);
    if (session_open(cli, NULL, looks ? NULL : act->verb, &session, &status) &&
        find_named(cli, act, &session, &n, &status))
        status = looks ? preview(cli, &n) : do_named(cli, act, &session, &n);
    olv_named_free(&n);
    olv_session_close(&session);
    return status;
}
