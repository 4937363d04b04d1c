/* SPDX-License-Identifier: Apache-2.0 */
/* A question says what would happen, and why it is asked. What cannot be taken back needs its count typed
 * from ten files on and for any directory, and `--yes` never stands for that; nor does it for everything in a
 * home. Read-only files have a question of their own. */
#include "cli/confirm.h"

#include "cli/ask.h"
#include "cli/habits.h"
#include "cli/views.h"

#include <ctype.h>
#include <string.h>

enum { ASKED_ABOVE = 3 };

static bool is_final(const struct confirm *c)
{
    return c->act->named.act->traits & OLV_FINAL;
}

bool confirm_can_ask(const struct confirm *c)
{
    return ask_is_possible(c->cli) && !cli_has(c->cli, OPT_JSON);
}

/* ---- reasons ---- */

static void add_reason(struct olv_text *out, uint64_t count, const char *one, const char *many)
{
    if (count)
        olv_text_printf(out, "%s%s", out->len ? "; " : "", COUNT(count, one, many));
}

/* What patterns caught: hidden names and directories are easily overlooked. */
static void add_caught(struct olv_text *out, const struct olv_named *n)
{
    if (!n->caught || (n->caught <= ASKED_ABOVE && !n->caught_hidden && !out->len))
        return;
    olv_text_printf(out, "%sthe pattern fits %s", out->len ? "; " : "", COUNT(n->caught, "name", "names"));
    if (n->caught_hidden)
        olv_text_printf(out, ", %s hidden", NUMBER(n->caught_hidden));
    if (n->caught_directories)
        olv_text_printf(out, ", %s", COUNT(n->caught_directories, "directory", "directories"));
}

/* What no answer beforehand passes over. */
static void add_place(struct olv_text *out, const struct olv_named *n)
{
    if (n->everything) {
        olv_text_printf(out, "%severything in ", out->len ? "; " : "");
        term_name(out, n->everything);
        olv_text_printf(out, " (%s)", n->everything_is);
    }
    if (n->is_mount_emptied)
        olv_text_printf(out, "%sa whole file system", out->len ? "; " : "");
}

/* Attributes change, and nothing goes. */
static void mark_reasons(const struct confirm *c, struct olv_text *out)
{
    const struct olv_named *n = c->named;
    if (n->files > ASKED_ABOVE)
        olv_text_printf(out, "%smany at once", out->len ? "; " : "");
    add_reason(out, n->goes, "directory", "directories");
    add_reason(out, n->others, "of them belongs to another user", "of them belong to other users");
    if (cli_has(c->cli, OPT_ANYWAY))
        olv_text_printf(out, "%swhat Olvido did not set, somebody else did", out->len ? "; " : "");
}

/* Why it asks; empty if it need not. Read-only files come by themselves where something is removed. */
static void reasons(const struct confirm *c, struct olv_text *out)
{
    const struct olv_named *n = c->named;
    bool removes = c->act->named.is_removed, only_empty = c->act->named.directories == OLV_EMPTY_DIRECTORIES;
    add_place(out, n);
    if (c->act->named.is_marked)
        mark_reasons(c, out);
    else if (removes && n->files + (only_empty ? n->goes : 0) > ASKED_ABOVE)
        olv_text_printf(out, "%smany at once", out->len ? "; " : "");
    else if (n->files > ASKED_ABOVE)
        add_reason(out, n->files, "file", "files");
    if (!only_empty && !c->act->named.is_marked)
        add_reason(out, removes ? n->goes : n->directories, "directory with all that is in it",
                   "directories with all that is in them");
    if (!removes && !c->act->named.is_marked)
        add_reason(out, n->readonly, "file is read-only", "files are read-only");
    if (!c->act->named.is_marked)
        add_reason(out, n->others,
                   removes ? "of them belongs to another user" : "file belongs to another user",
                   removes ? "of them belong to other users" : "files belong to other users");
    add_caught(out, n);
    if (c->cli->settings.asks_always && !out->len)
        olv_text_puts(out, "you want to be asked");
    if (c->cli->settings.asks_always)
        habits_origin(c->cli, OLV_SET_ASK, out);
}

/* "Delete 12 files and 1 directory (3.1 MiB) for good? Nothing brings them back. 12 files: please confirm."
 */
static void put_question(const struct confirm *c, const char *why, struct olv_text *out)
{
    const struct olv_named *n = c->named;
    bool goes = c->act->named.is_removed || c->act->named.is_marked;
    struct olv_text how = {0};
    olv_arguments_describe(c->act->named.act, c->act->named.arguments, &how);
    olv_text_printf(out, "%c%s %s (%s)%s%s? %s", toupper((unsigned char)c->act->verb[0]), c->act->verb + 1,
                    FILES(n->files, goes ? n->goes : 0), SIZE(n->bytes),
                    c->act->named.is_marked ? olv_text_string(&how) : "",
                    is_final(c)                                      ? " for good"
                    : c->act->named.act->destination == OLV_TO_TRASH ? " into the trash"
                                                                     : "",
                    c->act->consequence);
    olv_text_free(&how);
    if (*why)
        olv_text_printf(out, " %c%s: please confirm.", toupper((unsigned char)*why), why + 1);
}

/* ---- asking ---- */

static bool refuse(struct confirm *c, const char *why, const char *what_helps)
{
    term_message(c->cli, STYLE_WARN, "nothing done: this needs an answer (%s). %s", why, what_helps);
    return false;
}

static void list(const struct confirm *c)
{
    struct olv_error err = {0};
    if (!docket_print(c->cli, c->named->docket, (struct docket_filter){.has_total = true}, &err))
        cli_report(c->cli, &err);
}

static bool ask_all(struct confirm *c, const char *question)
{
    static const char *const answers[] = {"no", "yes", "each", "list", NULL};
    enum { YES = 1, EACH = 2, LIST = 3 };
    int answer;
    while ((answer = ask(c->cli, question, answers)) == LIST)
        list(c);
    c->asks_each = answer == EACH;
    return answer == YES || answer == EACH;
}

/* Allowed beforehand by its count, which must be right. */
static bool is_counted(const struct confirm *c, bool *is_right)
{
    uint64_t count = 0;
    if (!cli_has(c->cli, OPT_COUNT_TYPED))
        return false;
    *is_right = cli_number(c->cli, OPT_COUNT_TYPED, &count) && count == c->named->files;
    if (!*is_right)
        term_message(c->cli, STYLE_WARN,
                     "--count %s is not the number of files that would go: %s; nothing was done",
                     cli_value(c->cli, OPT_COUNT_TYPED), NUMBER(c->named->files));
    return true;
}

static bool allow(struct confirm *c, const char *why, const char *question)
{
    const struct olv_named *n = c->named;
    bool is_place = n->everything || n->is_mount_emptied,
         needs_count = is_final(c) && olv_needs_count(n->files, n->goes), is_right;
    char helps[80];
    if (is_counted(c, &is_right))
        return is_right;
    if (needs_count || (is_place && is_final(c))) {
        snprintf(helps, sizeof helps, "Use a terminal or --count %llu", (unsigned long long)n->files);
        return confirm_can_ask(c) ? ask_count(c->cli, question, n->files) : refuse(c, why, helps);
    }
    if (is_place ? false : cli_has(c->cli, OPT_YES) || !*why)
        return true;
    if (cli_has(c->cli, OPT_EACH) && !is_place && confirm_can_ask(c))
        return true;
    snprintf(helps, sizeof helps, is_place ? "Use a terminal or --count %llu" : "Use a terminal or --yes",
             (unsigned long long)n->files);
    return confirm_can_ask(c) ? ask_all(c, question) : refuse(c, why, helps);
}

/* A question of their own; none where they were allowed beforehand, or each is asked about. */
static bool allow_readonly(struct confirm *c)
{
    static const char *const answers[] = {"no", "yes", NULL};
    const struct olv_named *n = c->named;
    struct olv_text question = {0};
    bool ok;
    if (!c->act->named.is_removed || !n->readonly || cli_has(c->cli, OPT_YES) ||
        cli_has(c->cli, OPT_COUNT_TYPED) || c->asks_each)
        return true;
    if (!confirm_can_ask(c))
        return refuse(c, COUNT(n->readonly, "file is read-only", "files are read-only"),
                      "Use a terminal or --yes");
    olv_text_printf(&question, "%s read-only: nobody may write %s. %c%s %s%s?",
                    COUNT(n->readonly, "file is", "files are"), n->readonly == 1 ? "it" : "them",
                    toupper((unsigned char)c->act->verb[0]), c->act->verb + 1,
                    n->readonly == 1 ? "it" : "them", n->readonly < n->files + n->goes ? ", too" : "");
    ok = ask(c->cli, olv_text_string(&question), answers) == 1;
    olv_text_free(&question);
    c->spares_readonly = !ok;
    return ok || n->readonly < n->files + n->goes;
}

bool confirm_all(struct confirm *c)
{
    struct olv_text why = {0}, question = {0};
    bool ok;
    if (!c->act->takes_files)
        return true;
    reasons(c, &why);
    put_question(c, olv_text_string(&why), &question);
    watch_clear(c->cli);
    c->asks_each = cli_has(c->cli, OPT_EACH);
    if (c->asks_each && !confirm_can_ask(c))
        ok = refuse(c, "--each", "Use a terminal");
    else
        ok = allow(c, olv_text_string(&why), olv_text_string(&question)) && allow_readonly(c);
    c->asks_each |= cli_has(c->cli, OPT_EACH);
    if (!ok && confirm_can_ask(c) && !cli_has(c->cli, OPT_COUNT_TYPED))
        term_message(c->cli, STYLE_PLAIN, "nothing was done");
    olv_text_free(&why);
    olv_text_free(&question);
    return ok;
}

/* ---- one by one ---- */

bool confirm_is_about_each(const struct confirm *c)
{
    return c->asks_each || c->spares_readonly;
}

static void put_entry(const struct confirm *c, const struct olv_docket_entry *e, struct olv_text *out)
{
    bool is_directory = e->identity.kind == OLV_KIND_DIRECTORY;
    struct olv_text path = {0};
    olv_docket_entry_shown(e, &path);
    olv_text_printf(out, "%s ", c->act->verb);
    term_name(out, olv_text_string(&path));
    olv_text_free(&path);
    if (is_directory && e->is_emptied)
        olv_text_puts(out, " (a directory, if it is empty then)?");
    else if (is_directory)
        olv_text_printf(out, " (a directory with %s, %s)?", COUNT(e->contents.files, "file", "files"),
                        SIZE(e->contents.bytes));
    else
        olv_text_printf(out, " (%s, %s%s%s)?", SIZE(olv_docket_entry_size(e)),
                        DATE(olv_docket_entry_modified(e)), e->is_readonly ? ", read-only" : "",
                        e->is_others ? ", another user's" : "");
}

static bool is_allowed(struct confirm *c, const struct olv_docket_entry *e)
{
    static const char *const answers[] = {"no", "yes", "rest", "stop", NULL};
    enum { YES = 1, REST = 2, STOP = 3 };
    struct olv_text question = {0};
    int answer;
    if (c->is_stopped || (c->spares_readonly && e->is_readonly))
        return false;
    if (!c->asks_each || c->is_rest_allowed)
        return true;
    watch_clear(c->cli);
    put_entry(c, e, &question);
    answer = ask(c->cli, olv_text_string(&question), answers);
    olv_text_free(&question);
    c->is_rest_allowed = answer == REST;
    c->is_stopped = answer == STOP || answer < 0;
    return answer == YES || answer == REST;
}

bool confirm_entry(void *self, struct olv_docket_entry *e)
{
    struct confirm *c = self;
    bool ok = is_allowed(c, e);
    c->declined += !ok;
    return ok;
}
