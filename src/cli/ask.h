/* SPDX-License-Identifier: Apache-2.0 */
/* Questions in plain words. They are asked on a terminal only. */
#ifndef OLV_CLI_ASK_H
#define OLV_CLI_ASK_H

#include "cli/cli.h"

#include <stdint.h>

/* Whether there is somebody to ask: standard input and standard error are a terminal. */
bool ask_is_possible(void);
/* Shows `question` and the answers (their first letters will do), reads until one of them comes, and returns
 * its index; -1 at the end of the input or when interrupted. `answers` ends with NULL; the safe one comes
 * first. */
int ask(const struct cli *cli, const char *question, const char *const *answers);

/* Asks for a number to be typed, and returns whether it was exactly this one. */
bool ask_count(const struct cli *cli, const char *question, uint64_t count);

#endif
