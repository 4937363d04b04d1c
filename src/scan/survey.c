/* SPDX-License-Identifier: Apache-2.0 */
/* Each worker counts into bands of its own; a list goes through the sorter, so memory does not grow with the
 * tree. */
#include "olvido/survey.h"

#include "os/os.h"
#include "scan/scan.h"

#include <errno.h>
#include <stdatomic.h>
#include <stdlib.h>
#include <string.h>

enum { AGES = OLV_SURVEY_BANDS - 1, FIRST_TRUSTED_S = 86400 };

static const struct {
    const char *label;
    struct olv_duration from; /* the youngest age in the band */
} ages[AGES] = {
    {"under 1 day", {0, 0}},   {"1 day to 1 week", {0, 86400}}, {"1 week to 1 month", {0, 7 * 86400}},
    {"1 to 3 months", {1, 0}}, {"3 to 12 months", {3, 0}},      {"1 to 2 years", {12, 0}},
    {"2 to 5 years", {24, 0}}, {"5 to 10 years", {60, 0}},      {"over 10 years", {120, 0}},
};

struct survey_worker {
    uint64_t files[OLV_SURVEY_BANDS], bytes[OLV_SURVEY_BANDS];
    uint64_t directories;
    struct olv_instant oldest, newest;
    bool any;
    struct olv_text record;
};

struct surveyor {
    struct olv_survey *survey;
    const struct olv_survey_options *options;
    const struct olv_observer *observer;
    struct olv_instant cutoffs[AGES]; /* modified up to here: at least that old */
    struct olv_instant older, newer;
    unsigned kinds;
    struct survey_worker *workers;
    atomic_bool has_failed;
    struct olv_error error;
};

static bool is_wanted(const struct surveyor *s, const struct olv_stat *stat)
{
    if (s->options->older_than && olv_instant_compare(stat->modified, s->older) > 0)
        return false;
    return !s->options->newer_than || olv_instant_compare(stat->modified, s->newer) > 0;
}

static unsigned band_of(const struct surveyor *s, struct olv_instant modified)
{
    unsigned band = AGES - 1;
    if (modified.s <= FIRST_TRUSTED_S || olv_instant_compare(modified, s->options->now) > 0)
        return OLV_SURVEY_BANDS - 1;
    while (band > 0 && olv_instant_compare(modified, s->cutoffs[band]) > 0)
        band--;
    return band;
}

static void count(struct surveyor *s, struct survey_worker *w, const struct olv_stat *stat)
{
    unsigned band = band_of(s, stat->modified);
    w->files[band]++;
    w->bytes[band] += stat->size_bytes;
    if (!w->any || olv_instant_compare(stat->modified, w->oldest) < 0)
        w->oldest = stat->modified;
    if (!w->any || olv_instant_compare(stat->modified, w->newest) > 0)
        w->newest = stat->modified;
    w->any = true;
}

/* A record: kind and size in eight bytes each, then the path with its NUL. */
static void add_to_list(struct surveyor *s, struct survey_worker *w, const struct olv_scan_entry *entry)
{
    uint64_t numbers[2] = {entry->stat.kind, entry->stat.size_bytes};
    struct olv_error err = {0};
    olv_text_clear(&w->record);
    olv_text_add(&w->record, numbers, sizeof numbers);
    olv_scan_dir_path(entry->dir, &w->record);
    if (w->record.len > sizeof numbers + 1)
        olv_text_add(&w->record, "/", 1);
    olv_text_add(&w->record, entry->name, entry->name_len + 1);
    if (w->record.failed)
        olv_fail_memory(&err);
    else if (olv_sorter_add(s->survey->list,
                            (struct olv_record){entry->stat.modified, w->record.data, w->record.len}, &err))
        return;
    if (!atomic_exchange(&s->has_failed, true))
        s->error = err;
}

static void visit(void *self, unsigned number, struct olv_scan_entry *entry)
{
    struct surveyor *s = self;
    struct survey_worker *w = &s->workers[number];
    if (!(s->kinds & 1u << entry->kind))
        return;
    if (!olv_scan_look(entry) || !is_wanted(s, &entry->stat))
        return;
    count(s, w, &entry->stat);
    if (s->options->wants_list)
        add_to_list(s, w, entry);
}

static bool enter(void *self, unsigned number, struct olv_scan_dir *dir, int dir_fd)
{
    struct surveyor *s = self;
    (void)dir;
    (void)dir_fd;
    s->workers[number].directories++;
    return !atomic_load(&s->has_failed);
}

static void on_trouble(void *self, const struct olv_trouble *trouble)
{
    struct surveyor *s = self;
    s->survey->troubles += trouble->kind == OLV_TROUBLE_UNREADABLE;
    s->survey->other_mounts += trouble->kind == OLV_TROUBLE_OTHER_MOUNT;
    olv_observe_trouble(s->observer, *trouble);
}

static void on_progress(void *self, const struct olv_progress *progress)
{
    struct surveyor *s = self;
    olv_observe_progress(s->observer, *progress);
}

static bool is_interrupted(void *self)
{
    struct surveyor *s = self;
    return atomic_load(&s->has_failed) || olv_observe_interrupted(s->observer);
}

static void merge(struct olv_survey *survey, const struct survey_worker *w)
{
    for (unsigned band = 0; band < OLV_SURVEY_BANDS; band++) {
        survey->bands[band].files += w->files[band];
        survey->bands[band].bytes += w->bytes[band];
        survey->bytes += w->bytes[band];
    }
    survey->directories += w->directories;
    if (w->any && (survey->files == 0 || olv_instant_compare(w->oldest, survey->oldest) < 0))
        survey->oldest = w->oldest;
    if (w->any && (survey->files == 0 || olv_instant_compare(w->newest, survey->newest) > 0))
        survey->newest = w->newest;
    for (unsigned band = 0; band < OLV_SURVEY_BANDS; band++)
        survey->files += w->files[band];
}

static void begin(struct surveyor *s)
{
    const struct olv_survey_options *o = s->options;
    *s->survey = (struct olv_survey){0};
    for (unsigned band = 0; band < AGES; band++) {
        s->survey->bands[band].label = ages[band].label;
        s->cutoffs[band] = olv_instant_cutoff(o->now, ages[band].from);
    }
    s->survey->bands[AGES].label = "odd times";
    if (o->older_than)
        s->older = olv_instant_cutoff(o->now, *o->older_than);
    if (o->newer_than)
        s->newer = olv_instant_cutoff(o->now, *o->newer_than);
    s->kinds = o->kinds ? o->kinds : ~(1u << OLV_KIND_DIRECTORY);
}

bool olv_survey_make(struct olv_survey *survey, const char *const *paths, size_t count_of_paths,
                     const struct olv_survey_options *options, const struct olv_observer *observer,
                     struct olv_error *err)
{
    struct surveyor s = {.survey = survey, .options = options, .observer = observer};
    struct olv_observer between = {&s, on_progress, on_trouble, is_interrupted};
    struct olv_scan_visitor visitor = {&s, enter, visit};
    unsigned workers = olv_scan_workers();
    bool ok;
    begin(&s);
    s.workers = calloc(workers, sizeof *s.workers);
    if (!s.workers)
        return olv_fail_memory(err);
    ok = !options->wants_list || (survey->list = olv_sorter_new(err));
    ok = ok && olv_scan(paths, count_of_paths, &visitor, &between, err);
    for (unsigned i = 0; i < workers; i++) {
        if (ok)
            merge(survey, &s.workers[i]);
        olv_text_free(&s.workers[i].record);
    }
    free(s.workers);
    if (atomic_load(&s.has_failed)) {
        *err = s.error;
        return false;
    }
    return ok;
}

struct olv_survey_entry olv_survey_entry(const struct olv_record *record)
{
    uint64_t numbers[2];
    memcpy(numbers, record->bytes, sizeof numbers);
    return (struct olv_survey_entry){(enum olv_kind)numbers[0], numbers[1], record->key,
                                     (const char *)record->bytes + sizeof numbers};
}

void olv_survey_free(struct olv_survey *survey)
{
    olv_sorter_free(survey->list);
    survey->list = NULL;
}
