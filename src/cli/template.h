/* SPDX-License-Identifier: Apache-2.0 */
/* Lines in the user's own form: text with named fields in braces. */
#ifndef OLV_CLI_TEMPLATE_H
#define OLV_CLI_TEMPLATE_H

#include "cli/cli.h"
#include "olvido/survey.h"

struct template;

/* NULL after reporting and marking what is wrong. On a terminal names are escaped. */
struct template *template_new(struct cli *cli, const char *text);
void template_free(struct template *template);
/* Appends the line of one entry, with its end. */
void template_write(const struct template *template, const struct olv_survey_entry *entry,
                    enum olv_clock clock, struct olv_instant now, struct olv_text *out);

#endif
