/* SPDX-License-Identifier: Apache-2.0 */
/* How a survey looks: a picture of age, a list, or JSON. */
#ifndef OLV_CLI_SURVEY_VIEW_H
#define OLV_CLI_SURVEY_VIEW_H

#include "cli/template.h"
#include "olvido/survey.h"

struct survey_view {
    struct olv_instant now;
    enum olv_clock clock;
    uint64_t limit;          /* of the list; 0: none */
    struct template *format; /* of the list; NULL: a table */
};

void survey_print(struct cli *cli, const struct olv_survey *survey, const struct survey_view *view);
void survey_print_list(struct cli *cli, struct olv_survey *survey, const struct survey_view *view,
                       struct olv_error *err);
void survey_print_total(const struct olv_survey *survey, const struct survey_view *view);
void survey_print_json(const struct olv_survey *survey, const struct survey_view *view, uint64_t unreadable);
void survey_print_json_list(struct olv_survey *survey, const struct survey_view *view, struct olv_error *err);

#endif
