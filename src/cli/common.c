/* SPDX-License-Identifier: Apache-2.0 */
/* What commands share: statuses, reports of errors, the policy and the paths they work with. */
#include "cli/cli.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/home.h"
#include "olvido/nearest.h"
#include "olvido/quantity.h"
#include "olvido/run.h"
#include "olvido/trust.h"

#include <errno.h>
#include <limits.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>

void cli_mark(struct cli *cli, enum cli_status status)
{
    static const enum cli_status order[] = {STATUS_BROKEN,    STATUS_INTERRUPTED, STATUS_USAGE,
                                            STATUS_NOT_BEGUN, STATUS_SOME_FAILED, STATUS_REFUSED,
                                            STATUS_DONE};
    size_t i = 0;
    while (order[i] != status && order[i] != cli->status)
        i++;
    cli->status = order[i];
}

enum cli_status cli_status_of(enum olv_code code)
{
    switch (code) {
    case OLV_OK:
        return STATUS_DONE;
    case OLV_USAGE:
    case OLV_POLICY:
        return STATUS_USAGE;
    case OLV_REFUSED:
    case OLV_EXISTS:
    case OLV_UNTRUSTED:
        return STATUS_REFUSED;
    case OLV_STATE:
        return STATUS_NOT_BEGUN;
    case OLV_BROKEN:
        return STATUS_BROKEN;
    case OLV_INTERRUPTED:
        return STATUS_INTERRUPTED;
    default:
        return STATUS_SOME_FAILED;
    }
}

void cli_print_error(const struct cli *cli, const struct olv_error *err)
{
    struct olv_text hint = {0};
    if (cli->watch)
        watch_clear((struct cli *)(uintptr_t)cli);
    term_message(cli, STYLE_ERROR, "%s%s%s%s%s", err->path, *err->path ? ": " : "", err->what,
                 err->sys ? ": " : "", err->sys ? strerror(err->sys) : "");
    term_name(&hint, err->hint);
    if (*err->hint)
        fprintf(stderr, "  %s\n", olv_text_string(&hint));
    olv_text_free(&hint);
}

bool cli_report(struct cli *cli, const struct olv_error *err)
{
    cli_print_error(cli, err);
    cli_mark(cli, cli_status_of(err->code));
    return false;
}

bool cli_usage(struct cli *cli, const char *format, ...)
{
    struct olv_text text = {0};
    va_list args;
    va_start(args, format);
    olv_text_vprintf(&text, format, args);
    va_end(args);
    term_message(cli, STYLE_ERROR, "%s", olv_text_string(&text));
    fprintf(stderr, "  `olvido help%s%s` shows how it is used\n", cli->command ? " " : "",
            cli->command ? cli->command->name : "");
    olv_text_free(&text);
    cli_mark(cli, STATUS_USAGE);
    return false;
}

void cli_print_json(json_t *json)
{
    struct olv_text line = {0};
    olv_json_line(json, &line);
    puts(olv_text_string(&line));
    olv_text_free(&line);
    json_decref(json);
}

static bool common_fits(struct cli *cli, const char *value, char *out, size_t size)
{
    return (size_t)snprintf(out, size, "%s", value) < size || cli_usage(cli, "that path is too long");
}

bool cli_policy_path(struct cli *cli, char *out, size_t size)
{
    const char *given = cli_value(cli, OPT_POLICY);
    struct olv_error err = {0};
    if (given)
        return common_fits(cli, given, out, size);
    if (olv_policy_home(out, size, &err))
        return true;
    return cli_report(cli, &err);
}

bool cli_state_path(struct cli *cli, char *out, size_t size)
{
    const char *given = cli_value(cli, OPT_STATE);
    struct olv_error err = {0};
    if (given && !common_fits(cli, given, out, size))
        return false;
    if ((given || olv_state_home(out, size, &err)) && olv_state_is_trusted(out, &err))
        return true;
    return cli_report(cli, &err);
}

/* The part of a line around a place, at most so long; `*column` becomes the place's own within it. A policy
 * is UTF-8, so only control characters can do harm; each becomes one question mark, and the mark below stays
 * in its column. */
static void cut_excerpt(const char *line, int *column, struct olv_text *out)
{
    enum { SHOWN = 160 };
    int skip = *column > SHOWN / 2 ? *column - SHOWN / 2 : 0, at = 0;
    for (; *line && at < skip + SHOWN; line++) {
        bool begins = ((unsigned char)*line & 0xC0) != 0x80;
        bool is_control = (unsigned char)*line < 0x20 || *line == 0x7F;
        at += begins;
        if (at > skip)
            olv_text_add(out, *line == '\t' ? " " : is_control ? "?" : line, 1);
    }
    *column -= skip;
}

static void print_caret(const struct cli *cli, const struct olv_diagnostic *d)
{
    struct olv_text excerpt = {0};
    int column = d->column;
    cut_excerpt(d->excerpt, &column, &excerpt);
    fprintf(stderr, "  %5d | %s\n        | %*s%s", d->line, olv_text_string(&excerpt), column - 1, "",
            term_begin(cli, d->is_warning ? STYLE_WARN : STYLE_ERROR));
    for (int i = 0; i < d->width && i < 60; i++)
        fputc('^', stderr);
    fprintf(stderr, "%s\n", term_end(cli));
    olv_text_free(&excerpt);
}

void cli_print_diagnostics(const struct cli *cli, const char *path, const struct olv_diagnostics *list)
{
    struct olv_text name = {0}, message = {0};
    term_name(&name, path);
    for (size_t i = 0; i < list->count; i++) {
        const struct olv_diagnostic *d = &list->items[i];
        olv_text_clear(&message);
        term_name(&message, d->message);
        fprintf(stderr, "%s%s:%d:%d:%s %s%s\n", term_begin(cli, STYLE_HEADING), olv_text_string(&name),
                d->line, d->column, term_end(cli), d->is_warning ? "warning: " : "",
                olv_text_string(&message));
        if (d->excerpt)
            print_caret(cli, d);
        if (d->expected)
            fprintf(stderr, "          expected: %s\n", d->expected);
        if (d->nearest)
            fprintf(stderr, "          did you mean `%s`?\n", d->nearest);
    }
    olv_text_free(&name);
    olv_text_free(&message);
}

struct olv_policy *cli_load_policy(struct cli *cli, const char *path)
{
    struct olv_diagnostics list = {0};
    struct olv_error err = {0};
    struct olv_policy *policy = olv_policy_load_trusted(path, &list, &err);
    if (!policy && list.count == 0) {
        if (err.sys == ENOENT && !cli_has(cli, OPT_POLICY))
            olv_error_hint(
                &err,
                "write a policy there, or name one: --policy FILE (`olvido demo DIR` makes an example)");
        cli_report(cli, &err);
        cli_mark(cli, STATUS_USAGE); /* a policy that cannot be read is a wrong one */
    } else if (!policy) {
        cli_print_diagnostics(cli, path, &list);
        term_message(cli, STYLE_ERROR, "%s in the policy; nothing was done",
                     COUNT(list.count, "error", "errors"));
        cli_mark(cli, STATUS_USAGE);
    }
    olv_diagnostics_free(&list);
    return policy;
}

struct olv_policy *cli_policy(struct cli *cli)
{
    char path[PATH_MAX];
    return cli_policy_path(cli, path, sizeof path) ? cli_load_policy(cli, path) : NULL;
}

bool cli_instant(struct cli *cli, enum cli_option option, struct olv_instant *out)
{
    const char *text = cli_value(cli, option);
    size_t at;
    return olv_instant_parse(text, strlen(text), out, &at) ||
           cli_usage(cli, "`%s` is no date; 2027-01-31 and 2027-01-31T14:05:00Z are", text);
}

int cli_choose(struct cli *cli, const char *none, const char *word, const char *const *words, size_t count)
{
    const char *near;
    for (size_t i = 0; i < count; i++)
        if (strcmp(words[i], word) == 0)
            return (int)i;
    near = olv_nearest(word, strlen(word), words, count);
    cli_usage(cli, "%s `%s`%s%s%s", none, word, near ? "; did you mean `" : "", near ? near : "",
              near ? "`?" : "");
    return -1;
}

int cli_word(struct cli *cli, enum cli_option option, const char *const *words, size_t count)
{
    const char *text = cli_value(cli, option), *near;
    char known[200];
    size_t at = 0;
    for (size_t i = 0; i < count; i++)
        if (strcmp(words[i], text) == 0)
            return (int)i;
    for (size_t i = 0; i < count && at < sizeof known; i++)
        at += (size_t)snprintf(known + at, sizeof known - at, "%s%s", i ? ", " : "", words[i]);
    near = olv_nearest(text, strlen(text), words, count);
    cli_usage(cli, "`%s` does not fit here; what does: %s%s%s%s", text, known, near ? "; did you mean `" : "",
              near ? near : "", near ? "`?" : "");
    return -1;
}

bool cli_number(struct cli *cli, enum cli_option option, uint64_t *out)
{
    const char *text = cli_value(cli, option);
    size_t len = strlen(text);
    *out = 0;
    for (size_t i = 0; i < len; i++)
        *out = *out * 10 + (uint64_t)(text[i] - '0');
    return (len > 0 && len < 19 && strspn(text, "0123456789") == len) ||
           cli_usage(cli, "`%s` is no whole number", text);
}

bool cli_size(struct cli *cli, enum cli_option option, uint64_t *out)
{
    const char *text = cli_value(cli, option);
    size_t at;
    return olv_size_parse(text, strlen(text), out, &at) ||
           cli_usage(cli, "`%s` is no size; 512, 10 MiB and 1.5 GB are", text);
}

bool cli_duration(struct cli *cli, enum cli_option option, struct olv_duration *out)
{
    const char *text = cli_value(cli, option);
    size_t at;
    return olv_duration_parse(text, strlen(text), out, &at) ||
           cli_usage(cli, "`%s` is no duration; 90 days, 1 year 6 months and P90D are", text);
}
