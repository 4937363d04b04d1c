/* SPDX-License-Identifier: Apache-2.0 */
/* Lines of the user's own choosing: text with named fields in braces. */
#ifndef OLV_CLI_TEMPLATE_H
#define OLV_CLI_TEMPLATE_H

#include "cli/cli.h"
#include "olvido/survey.h"

struct template;

/* NULL after saying and marking what is wrong. On a terminal names are written so that they do no harm.
 */
struct template *template_new(struct cli *cli, const char *text);
void template_free(struct template *template);
/* Appends the line of one entry, with its end. */
void template_write(const struct template *template, const struct olv_survey_entry *entry,
                    enum olv_clock clock, struct olv_instant now, struct olv_text *out);

#endif
