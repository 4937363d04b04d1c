/* SPDX-License-Identifier: Apache-2.0 */
/* Facts about one thing, a line for each. */
#ifndef OLV_CLI_FACTS_H
#define OLV_CLI_FACTS_H

#include "cli/cli.h"
#include "cli/term.h"

/* One line: a label, then words; names in them must have gone through term_name. */
void facts_line(const struct cli *cli, const char *label, enum term_style style, const char *format, ...);
/* A name for such a line; freed by the caller. */
char *facts_name(const char *bytes);

#endif
