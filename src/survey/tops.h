/* SPDX-License-Identifier: Apache-2.0 */
/* The few largest and oldest entries, and who owns how much: collected during a walk, one set per worker. */
#ifndef OLV_SURVEY_TOPS_H
#define OLV_SURVEY_TOPS_H

#include "olvido/survey.h"

/* Whether an entry of this size (or time) makes the list; asked before its path is composed. */
bool tops_want_large(const struct olv_survey_top *tops, size_t count, uint64_t size_bytes);
bool tops_want_old(const struct olv_survey_top *tops, size_t count, struct olv_instant when);
/* Adds it in order; the path is copied. */
void tops_add_large(struct olv_survey_top *tops, size_t *count, uint64_t size_bytes, struct olv_instant when,
                    const char *path);
void tops_add_old(struct olv_survey_top *tops, size_t *count, uint64_t size_bytes, struct olv_instant when,
                  const char *path);
void tops_free(struct olv_survey_top *tops, size_t count);

/* Finds or creates the owner's entry; `*last` is the previous one. NULL if there are too many, or without
 * memory: then shares are not counted. */
struct olv_survey_owner *owners_find(struct olv_survey_owner **owners, size_t *count, size_t *last,
                                     uint32_t owner);
void owners_sort(struct olv_survey_owner *owners, size_t count);

#endif
