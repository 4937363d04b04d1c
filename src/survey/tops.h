/* SPDX-License-Identifier: Apache-2.0 */
/* The few largest and oldest, and who owns how much: kept while a walk goes on, one set for each worker. */
#ifndef OLV_SURVEY_TOPS_H
#define OLV_SURVEY_TOPS_H

#include "olvido/survey.h"

/* Whether an entry of this size (or time) belongs to the few; asked before its path is made. */
bool tops_want_large(const struct olv_survey_top *tops, size_t count, uint64_t size_bytes);
bool tops_want_old(const struct olv_survey_top *tops, size_t count, struct olv_instant when);
/* Enters it, in order; the path is copied. */
void tops_add_large(struct olv_survey_top *tops, size_t *count, uint64_t size_bytes, struct olv_instant when,
                    const char *path);
void tops_add_old(struct olv_survey_top *tops, size_t *count, uint64_t size_bytes, struct olv_instant when,
                  const char *path);
void tops_free(struct olv_survey_top *tops, size_t count);

/* Finds or makes the owner's place; `*last` is where the one before was. NULL when there are too many, or
 * without memory: then nobody's share is counted. */
struct olv_survey_owner *owners_find(struct olv_survey_owner **owners, size_t *count, size_t *last,
                                     uint32_t owner);
void owners_sort(struct olv_survey_owner *owners, size_t count);

#endif
