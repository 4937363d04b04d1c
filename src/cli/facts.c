/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/views.h"

#include <stdio.h>

enum { LABEL = 10 };

void facts_title(const struct cli *cli, const char *name)
{
    struct olv_text safe = {0};
    term_name(&safe, name);
    printf("%s%s%s\n", term_begin(cli, STYLE_HEADING), olv_text_string(&safe), term_end(cli));
    olv_text_free(&safe);
}

void facts_line(const struct cli *cli, const char *label, enum term_style style, const char *format, ...)
{
    struct olv_text safe = {0};
    va_list args;
    va_start(args, format);
    term_format(&safe, format, args);
    va_end(args);
    printf("  %s%-*s%s %s%s%s\n", term_begin(cli, STYLE_HEADING), LABEL, label, term_end(cli),
           term_begin(cli, style), olv_text_string(&safe), term_end(cli));
    olv_text_free(&safe);
}

void facts_command(const struct cli *cli, const char *label, const char *command)
{
    printf("  %s%-*s%s %s%s%s\n", term_begin(cli, STYLE_HEADING), LABEL, label, term_end(cli),
           term_begin(cli, STYLE_GOOD), command, term_end(cli));
}
