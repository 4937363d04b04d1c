/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/facts.h"

#include "olvido/text.h"

#include <stdarg.h>
#include <stdio.h>
#include <string.h>

enum { LABEL = 10 };

/* One line: a label, then words; names in them must have gone through term_name. */
void facts_line(const struct cli *cli, const char *label, enum term_style style, const char *format, ...)
{
    va_list args;
    printf("  %s%-*s%s %s", term_begin(cli, STYLE_HEADING), LABEL, label, term_end(cli),
           term_begin(cli, style));
    va_start(args, format);
    vprintf(format, args);
    va_end(args);
    printf("%s\n", term_end(cli));
}

char *facts_name(const char *bytes)
{
    struct olv_text text = {0};
    term_name(&text, bytes);
    return text.data ? text.data : strdup("");
}
