/* SPDX-License-Identifier: Apache-2.0 */
/* Reads the values of options, by their kind. */
#include "cli/views.h"
#include "olvido/expr.h"
#include "olvido/nearest.h"
#include "olvido/quantity.h"

#include <string.h>

bool cli_instant(struct cli *cli, enum cli_option option, struct olv_instant *out, bool *has)
{
    const char *text = cli_value(cli, option);
    size_t at;
    *has = text != NULL;
    return !text || olv_instant_parse(text, strlen(text), out, &at) ||
           cli_usage(cli, "`%s` is not a date; write 2027-01-31 or 2027-01-31T14:05:00Z", text);
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

bool cli_words(struct cli *cli, enum cli_option option, const char *none, const char *const *words,
               size_t count, bool *chosen)
{
    for (size_t i = 0; i < cli->options[option].count; i++) {
        int word = cli_choose(cli, none, cli->options[option].values[i], words, count);
        if (word < 0)
            return false;
        if (chosen)
            chosen[word] = true;
    }
    return true;
}

bool cli_word(struct cli *cli, enum cli_option option, const char *const *words, size_t count, int *out)
{
    const char *text = cli_value(cli, option), *near;
    char known[200];
    size_t at = 0;
    if (!text)
        return true;
    for (size_t i = 0; i < count; i++)
        if (strcmp(words[i], text) == 0) {
            *out = (int)i;
            return true;
        }
    for (size_t i = 0; i < count && at < sizeof known; i++)
        at += (size_t)snprintf(known + at, sizeof known - at, "%s%s", i ? ", " : "", words[i]);
    near = olv_nearest(text, strlen(text), words, count);
    return cli_usage(cli, "--%s cannot be `%s`; use %s%s%s%s", cli_option_name(option), text, known,
                     near ? "; did you mean `" : "", near ? near : "", near ? "`?" : "");
}

bool cli_number(struct cli *cli, enum cli_option option, uint64_t *out)
{
    const char *text = cli_value(cli, option);
    size_t len = text ? strlen(text) : 0;
    if (!text)
        return true;
    *out = 0;
    for (size_t i = 0; i < len; i++)
        *out = *out * 10 + (uint64_t)(text[i] - '0');
    return (len > 0 && len < 19 && strspn(text, "0123456789") == len) ||
           cli_usage(cli, "`%s` is not a whole number", text);
}

bool cli_size(struct cli *cli, enum cli_option option, uint64_t *out)
{
    const char *text = cli_value(cli, option);
    size_t at;
    return !text || olv_size_parse(text, strlen(text), out, &at) ||
           cli_usage(cli, "`%s` is not a size; write 512, 10 MiB or 1.5 GB", text);
}

bool cli_duration(struct cli *cli, enum cli_option option, struct olv_duration *out)
{
    const char *text = cli_value(cli, option);
    size_t at;
    return !text || olv_duration_parse(text, strlen(text), out, &at) ||
           cli_usage(cli, "`%s` is not a duration; write 90 days, 1 year 6 months or P90D", text);
}

bool cli_where(struct cli *cli, struct olv_expr **out)
{
    struct olv_diagnostics list = {0};
    const char *text = cli_value(cli, OPT_WHERE);
    *out = text ? olv_expr_compile(text, NULL, &list) : NULL;
    if (text && !*out) {
        policy_print_diagnostics(cli, "--where", &list);
        cli_mark(cli, STATUS_USAGE);
    }
    olv_diagnostics_free(&list);
    return !text || *out;
}
