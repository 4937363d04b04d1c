/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/views.h"

/* The part of a line around a place, limited in length; `*column` becomes the column in that part. A policy
 * is UTF-8, so only control characters can do harm; each becomes one question mark, and the caret below keeps
 * its column. */
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

void policy_print_diagnostics(const struct cli *cli, const char *path, const struct olv_diagnostics *list)
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

static void policy_view_print_json(const char *path, const struct olv_diagnostics *list)
{
    for (size_t i = 0; i < list->count; i++) {
        const struct olv_diagnostic *d = &list->items[i];
        json_t *json = json_object();
        olv_json_name(json, "path", path);
        olv_json_number(json, "line", (uint64_t)d->line);
        olv_json_number(json, "column", (uint64_t)d->column);
        olv_json_string(json, "weight", d->is_warning ? "warning" : "error");
        olv_json_string(json, "message", d->message);
        if (d->expected)
            olv_json_string(json, "expected", d->expected);
        if (d->nearest)
            olv_json_string(json, "nearest", d->nearest);
        cli_print_json(json);
    }
}

static void print_sound(struct cli *cli, const struct olv_policy *policy, size_t warnings)
{
    struct olv_text text = {0};
    size_t steps = 0;
    for (size_t i = 0; i < policy->rule_count; i++)
        steps += policy->rules[i].step_count;
    term_name(&text, policy->path);
    olv_text_puts(&text, ": sound. ");
    if (policy->title) {
        olv_text_puts(&text, "\"");
        term_name(&text, policy->title);
        olv_text_puts(&text, "\", ");
    }
    olv_text_printf(&text, "%s with %s", COUNT(policy->rule_count, "rule", "rules"),
                    COUNT(steps, "step", "steps"));
    if (warnings)
        olv_text_printf(&text, "; %s", COUNT(warnings, "warning", "warnings"));
    if (!cli_has(cli, OPT_QUIET))
        printf("%s\n", olv_text_string(&text));
    olv_text_free(&text);
}

void policy_print_findings(struct cli *cli, const char *path, const struct olv_policy *policy,
                           const struct olv_diagnostics *list)
{
    if (cli_has(cli, OPT_JSON)) {
        policy_view_print_json(path, list);
    } else {
        policy_print_diagnostics(cli, path, list);
        if (policy)
            print_sound(cli, policy, list->count);
        else
            term_message(cli, STYLE_ERROR, "%s in the policy; nothing was done",
                         COUNT(list->errors, "error", "errors"));
    }
    if (!policy)
        cli_mark(cli, STATUS_USAGE);
}
