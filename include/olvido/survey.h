/* SPDX-License-Identifier: Apache-2.0 */
/* The age and size picture of one or more trees. */
#ifndef OLVIDO_SURVEY_H
#define OLVIDO_SURVEY_H

#include "olvido/entry.h"
#include "olvido/error.h"
#include "olvido/observer.h"
#include "olvido/sorter.h"

enum { OLV_SURVEY_BANDS = 10 };

struct olv_survey_band {
    const char *label; /* "1 to 3 months" */
    uint64_t files, bytes;
};

struct olv_survey_options {
    struct olv_instant now;
    const struct olv_duration *older_than, *newer_than; /* NULL: no bound; at least / less than that old */
    unsigned kinds;                                     /* bit 1 << olv_kind; 0: everything but directories */
    bool wants_list;
};

struct olv_survey {
    struct olv_survey_band
        bands[OLV_SURVEY_BANDS]; /* youngest first; the last one: times that cannot be trusted */
    uint64_t files, bytes;
    uint64_t directories;              /* looked into */
    struct olv_instant oldest, newest; /* only where files > 0 */
    uint64_t troubles;                 /* places that could not be read */
    uint64_t other_mounts;
    struct olv_sorter
        *list; /* oldest first; each record as olv_survey_entry reads it; NULL unless asked for */
};

struct olv_survey_entry {
    enum olv_kind kind;
    uint64_t size_bytes;
    struct olv_instant modified;
    const char *path; /* borrowed from the record */
};

/* Walks the absolute, canonical paths. False when interrupted or out of memory. Free the survey in any case.
 */
bool olv_survey_make(struct olv_survey *survey, const char *const *paths, size_t count,
                     const struct olv_survey_options *options, const struct olv_observer *observer,
                     struct olv_error *err);
struct olv_survey_entry olv_survey_entry(const struct olv_record *record);
void olv_survey_free(struct olv_survey *survey);

#endif
