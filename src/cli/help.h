/* SPDX-License-Identifier: Apache-2.0 */
/* The help text of a command besides its table entry: src/cli/help/NAME.txt, made into a table by the build.
 */
#ifndef OLV_CLI_HELP_H
#define OLV_CLI_HELP_H

#include <stddef.h>

struct cli_help_text {
    const char *command, *text;
};
extern const struct cli_help_text cli_help_texts[]; /* ends with NULL */

#endif
