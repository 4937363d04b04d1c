/* SPDX-License-Identifier: Apache-2.0 */
/* Questions in plain words, only on a terminal. */
#ifndef OLV_CLI_ASK_H
#define OLV_CLI_ASK_H

#include "cli/cli.h"

#include <stdint.h>

/* Whether somebody can be asked: standard error, and where answers come from, are a terminal. */
bool ask_is_possible(const struct cli *cli);
/* Shows `question` and the answers (their first letters suffice), reads until one is given, and returns its
 * index; -1 at the end of input or when interrupted. `answers` ends with NULL; the safe one comes first. */
int ask(const struct cli *cli, const char *question, const char *const *answers);

/* Asks for a number to be typed; true if it was exactly `count`. */
bool ask_count(const struct cli *cli, const char *question, uint64_t count);

#endif
