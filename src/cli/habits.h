/* SPDX-License-Identifier: Apache-2.0 */
/* The standing habits of settings.yaml, as commands see them. */
#ifndef OLV_CLI_HABITS_H
#define OLV_CLI_HABITS_H

#include "cli/cli.h"
#include "olvido/settings.h"

/* Reads the system's file and, unless nobody is there, the person's. False after reporting what is wrong with
 * one; a command that acts is not run then. */
bool habits_read(struct cli *cli, struct olv_settings *out);
/* Says of both whether they are sound; marks errors. */
void habits_check(struct cli *cli);
/* Appends " (`ask: always` in PATH)", if the setting was said. */
void habits_origin(const struct cli *cli, enum olv_setting setting, struct olv_text *out);

#endif
