/* SPDX-License-Identifier: Apache-2.0 */
/* The age and size picture of one or more trees. */
#ifndef OLVIDO_SURVEY_H
#define OLVIDO_SURVEY_H

#include "olvido/entry.h"
#include "olvido/error.h"
#include "olvido/expr.h"
#include "olvido/observer.h"
#include "olvido/policy.h"
#include "olvido/sorter.h"

enum { OLV_SURVEY_BANDS = 10, OLV_SURVEY_TOPS = 5, OLV_SURVEY_OWNERS = 1000 };

struct olv_survey_band {
    const char *label; /* "1 to 3 months" */
    uint64_t files, bytes;
};

struct olv_survey_owner {
    uint32_t owner;
    uint64_t files, bytes;
};

/* One of the largest or oldest. */
struct olv_survey_top {
    uint64_t size_bytes;
    struct olv_instant when; /* by the survey's clock */
    char *path;              /* owned by the survey */
};

enum olv_survey_order { OLV_BY_AGE, OLV_BY_SIZE, OLV_BY_PATH, OLV_BY_OWNER };

struct olv_survey_options {
    struct olv_instant now;
    enum olv_clock clock;                               /* any except the date in the name */
    const struct olv_duration *older_than, *newer_than; /* NULL: no bound; at least / less than this old */
    unsigned kinds;               /* bits 1 << olv_kind; 0: everything except directories */
    const struct olv_expr *where; /* only what it matches; NULL: everything */
    bool wants_list;
    enum olv_survey_order order; /* of the list: oldest, largest, first path or lowest number first */
    bool is_reversed;
};

struct olv_survey {
    struct olv_survey_band
        bands[OLV_SURVEY_BANDS]; /* youngest first; the last band: times that cannot be trusted */
    unsigned band_count;
    uint64_t files, bytes;
    size_t roots;                      /* how many of the paths could be walked */
    uint64_t directories;              /* directories entered */
    uint64_t undecided;                /* entries that `where` could not decide */
    struct olv_instant oldest, newest; /* credible ones; only if there are any */
    bool has_times;
    uint64_t troubles; /* places that could not be read */
    uint64_t other_mounts;
    struct olv_survey_owner *owners; /* largest first */
    size_t owner_count;
    struct olv_survey_top largest[OLV_SURVEY_TOPS], eldest[OLV_SURVEY_TOPS]; /* in order */
    size_t largest_count, eldest_count;
    struct olv_sorter *list; /* records for olv_survey_entry; NULL unless requested */
};

struct olv_survey_entry {
    const char *path; /* borrowed from the record */
    struct olv_stat stat;
};

/* Walks these directories, nested ones only once; a missing path or a non-directory counts as unreadable.
 * False when interrupted or out of memory. Free the survey in any case. */
bool olv_survey_make(struct olv_survey *survey, const char *const *paths, size_t count,
                     const struct olv_survey_options *options, const struct olv_observer *observer,
                     struct olv_error *err);
struct olv_survey_entry olv_survey_entry(const struct olv_sorted *record);
/* The time by a clock; 0 if there is none. */
struct olv_instant olv_stat_time(const struct olv_stat *stat, enum olv_clock clock);
void olv_survey_free(struct olv_survey *survey);

#endif
