/* SPDX-License-Identifier: Apache-2.0 */
/* What `help` says of a command beside its table entry: src/cli/help/NAME.txt, which the build makes a table
 * of. */
#ifndef OLV_CLI_HELP_H
#define OLV_CLI_HELP_H

#include <stddef.h>

struct cli_help_text {
    const char *command, *text;
};
extern const struct cli_help_text cli_help_texts[]; /* ends with NULL */

#endif
