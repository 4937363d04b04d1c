/* SPDX-License-Identifier: Apache-2.0 */
/* Each worker counts into its own bands; a list goes through the sorter, so memory does not grow with the
 * tree. */
#include "olvido/survey.h"

#include "olvido/path.h"
#include "os/os.h"
#include "scan/subject.h"
#include "survey/tops.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>

enum { FIRST_TRUSTED_S = 86400, SHORT_VIEW_S = 2 * 86400 };

struct age {
    const char *label;
    struct olv_duration from; /* the youngest age in the band */
};

static const struct age long_view[] = {
    {"under 1 day", {0, 0}},   {"1 day to 1 week", {0, 86400}}, {"1 week to 1 month", {0, 7 * 86400}},
    {"1 to 3 months", {1, 0}}, {"3 to 12 months", {3, 0}},      {"1 to 2 years", {12, 0}},
    {"2 to 5 years", {24, 0}}, {"5 to 10 years", {60, 0}},      {"over 10 years", {120, 0}},
};

/* For "what changed just now?". */
static const struct age short_view[] = {
    {"under 1 minute", {0, 0}},         {"1 to 5 minutes", {0, 60}},   {"5 to 15 minutes", {0, 300}},
    {"15 to 60 minutes", {0, 900}},     {"1 to 3 hours", {0, 3600}},   {"3 to 12 hours", {0, 3 * 3600}},
    {"12 to 24 hours", {0, 12 * 3600}}, {"over 24 hours", {0, 86400}},
};

struct survey_worker {
    uint64_t files[OLV_SURVEY_BANDS], bytes[OLV_SURVEY_BANDS];
    uint64_t directories, undecided;
    struct olv_instant oldest, newest;
    bool any;
    struct olv_survey_top largest[OLV_SURVEY_TOPS], eldest[OLV_SURVEY_TOPS];
    size_t largest_count, eldest_count;
    struct olv_survey_owner *owners;
    size_t owner_count, last_owner;
    struct olv_expr_scratch *scratch;
    struct olv_text record, path;
};

struct surveyor {
    struct olv_survey *survey;
    const struct olv_survey_options *options;
    struct scan_relay relay;
    unsigned ages;                                /* all bands but the last */
    struct olv_instant cutoffs[OLV_SURVEY_BANDS]; /* files modified up to here are at least that old */
    struct olv_instant older, newer;
    unsigned kinds;
    struct survey_worker *workers;
    struct olv_instant *where_ages; /* of the statement; NULL: none */
};

struct olv_instant olv_stat_time(const struct olv_stat *stat, enum olv_clock clock)
{
    switch (clock) {
    case OLV_CLOCK_ACCESSED:
        return stat->accessed;
    case OLV_CLOCK_CHANGED:
        return stat->changed;
    case OLV_CLOCK_BORN:
        return stat->has_born ? stat->born : (struct olv_instant){0};
    default:
        return stat->modified;
    }
}

/* ---- what is wanted ---- */

static const struct olv_subject_facts facts = {.look = scan_subject_look,
                                               .path = scan_subject_path,
                                               .is_open = scan_subject_is_open,
                                               .is_empty = scan_subject_is_empty};

static bool is_where(struct surveyor *s, struct survey_worker *w, struct olv_scan_entry *entry)
{
    struct scan_subject subject;
    enum olv_truth answer;
    if (!s->options->where)
        return true;
    scan_subject_begin(&subject, entry, &w->path, &facts);
    subject.subject.depth = entry->dir->depth + 1;
    answer = olv_expr_test(s->options->where, s->where_ages, &subject.subject, w->scratch);
    w->undecided += answer == OLV_UNKNOWN;
    return answer == OLV_YES;
}

static bool is_of_age(const struct surveyor *s, struct olv_instant when)
{
    if (s->options->older_than && olv_instant_compare(when, s->older) > 0)
        return false;
    return !s->options->newer_than || olv_instant_compare(when, s->newer) > 0;
}

static bool is_believable(const struct surveyor *s, struct olv_instant when)
{
    return when.s > FIRST_TRUSTED_S && olv_instant_compare(when, s->options->now) <= 0;
}

/* ---- counting ---- */

static unsigned band_of(const struct surveyor *s, struct olv_instant when)
{
    unsigned band = s->ages - 1;
    if (!is_believable(s, when))
        return s->ages;
    while (band > 0 && olv_instant_compare(when, s->cutoffs[band]) > 0)
        band--;
    return band;
}

static const char *path_of(struct survey_worker *w, const struct olv_scan_entry *entry)
{
    olv_text_clear(&w->path);
    olv_scan_dir_path(entry->dir, &w->path);
    olv_text_puts(&w->path, w->path.len > 1 ? "/" : "");
    olv_text_add(&w->path, entry->name, entry->name_len);
    return olv_text_string(&w->path);
}

static void count_times(struct survey_worker *w, struct olv_instant when)
{
    if (!w->any || olv_instant_compare(when, w->oldest) < 0)
        w->oldest = when;
    if (!w->any || olv_instant_compare(when, w->newest) > 0)
        w->newest = when;
    w->any = true;
}

static void survey_count(struct surveyor *s, struct survey_worker *w, const struct olv_scan_entry *entry,
                         struct olv_instant when)
{
    const struct olv_stat *stat = &entry->stat;
    unsigned band = band_of(s, when);
    struct olv_survey_owner *owner = owners_find(&w->owners, &w->owner_count, &w->last_owner, stat->owner);
    w->files[band]++;
    w->bytes[band] += stat->size_bytes;
    if (owner) {
        owner->files++;
        owner->bytes += stat->size_bytes;
    }
    if (stat->kind == OLV_KIND_FILE && tops_want_large(w->largest, w->largest_count, stat->size_bytes))
        tops_add_large(w->largest, &w->largest_count, stat->size_bytes, when, path_of(w, entry));
    if (band == s->ages)
        return;
    count_times(w, when);
    if (tops_want_old(w->eldest, w->eldest_count, when))
        tops_add_old(w->eldest, &w->eldest_count, stat->size_bytes, when, path_of(w, entry));
}

/* ---- the list ---- */

/* The smallest comes first: oldest, largest or lowest. */
static struct olv_instant key_of(const struct surveyor *s, const struct olv_stat *stat,
                                 struct olv_instant when)
{
    switch (s->options->order) {
    case OLV_BY_SIZE:
        return (struct olv_instant){-(int64_t)(stat->size_bytes >> 1), stat->size_bytes & 1 ? 0 : 1};
    case OLV_BY_OWNER:
        return (struct olv_instant){stat->owner, 0};
    case OLV_BY_PATH:
        return (struct olv_instant){0, 0};
    default:
        return when;
    }
}

/* A record: the path with its NUL, which orders equal keys, then the facts. */
static void add_to_list(struct surveyor *s, struct survey_worker *w, const struct olv_scan_entry *entry,
                        struct olv_instant when)
{
    struct olv_error err = {0};
    olv_text_clear(&w->record);
    olv_text_puts(&w->record, path_of(w, entry));
    olv_text_add(&w->record, "", 1);
    olv_text_add(&w->record, &entry->stat, sizeof entry->stat);
    if (w->record.failed || w->path.failed)
        olv_fail_memory(&err);
    else if (olv_sorter_add(s->survey->list,
                            (struct olv_sorted){key_of(s, &entry->stat, when), w->record.data, w->record.len},
                            &err))
        return;
    scan_relay_fail(&s->relay, &err);
}

struct olv_survey_entry olv_survey_entry(const struct olv_sorted *record)
{
    struct olv_survey_entry e = {.path = record->bytes};
    memcpy(&e.stat, e.path + strlen(e.path) + 1, sizeof e.stat);
    return e;
}

/* ---- the walk ---- */

static void survey_visit(void *self, unsigned number, struct olv_scan_entry *entry)
{
    struct surveyor *s = self;
    struct survey_worker *w = &s->workers[number];
    struct olv_instant when;
    if (!(s->kinds & 1u << entry->kind) || !is_where(s, w, entry) || !olv_scan_look(entry))
        return;
    when = olv_stat_time(&entry->stat, s->options->clock);
    if (!is_of_age(s, when))
        return;
    survey_count(s, w, entry, when);
    if (s->options->wants_list)
        add_to_list(s, w, entry, when);
}

static bool survey_enter(void *self, unsigned number, struct olv_scan_dir *dir, const struct olv_stat *stat)
{
    struct surveyor *s = self;
    (void)dir;
    (void)stat;
    s->workers[number].directories++;
    return !atomic_load(&s->relay.has_failed);
}

/* ---- adding up ---- */

static void merge_tops(struct olv_survey *survey, const struct survey_worker *w)
{
    size_t last = 0;
    for (size_t i = 0; i < w->largest_count; i++)
        tops_add_large(survey->largest, &survey->largest_count, w->largest[i].size_bytes, w->largest[i].when,
                       w->largest[i].path);
    for (size_t i = 0; i < w->eldest_count; i++)
        tops_add_old(survey->eldest, &survey->eldest_count, w->eldest[i].size_bytes, w->eldest[i].when,
                     w->eldest[i].path);
    for (size_t i = 0; i < w->owner_count; i++) {
        struct olv_survey_owner *owner =
            owners_find(&survey->owners, &survey->owner_count, &last, w->owners[i].owner);
        if (!owner)
            continue;
        owner->files += w->owners[i].files;
        owner->bytes += w->owners[i].bytes;
    }
}

static void survey_merge(struct olv_survey *survey, const struct survey_worker *w)
{
    for (unsigned band = 0; band < survey->band_count; band++) {
        survey->bands[band].files += w->files[band];
        survey->bands[band].bytes += w->bytes[band];
        survey->files += w->files[band];
        survey->bytes += w->bytes[band];
    }
    survey->directories += w->directories;
    survey->undecided += w->undecided;
    if (w->any && (!survey->has_times || olv_instant_compare(w->oldest, survey->oldest) < 0))
        survey->oldest = w->oldest;
    if (w->any && (!survey->has_times || olv_instant_compare(w->newest, survey->newest) > 0))
        survey->newest = w->newest;
    survey->has_times |= w->any;
    merge_tops(survey, w);
}

/* Minutes and hours if only young files are wanted. */
static bool wants_short_view(const struct olv_survey_options *o)
{
    return o->newer_than && o->newer_than->months == 0 && o->newer_than->seconds <= SHORT_VIEW_S;
}

static void survey_begin(struct surveyor *s)
{
    const struct olv_survey_options *o = s->options;
    const struct age *ages = wants_short_view(o) ? short_view : long_view;
    s->ages =
        wants_short_view(o) ? sizeof short_view / sizeof *short_view : sizeof long_view / sizeof *long_view;
    *s->survey = (struct olv_survey){.band_count = s->ages + 1};
    for (unsigned band = 0; band < s->ages; band++) {
        s->survey->bands[band].label = ages[band].label;
        s->cutoffs[band] = olv_instant_cutoff(o->now, ages[band].from);
    }
    s->survey->bands[s->ages].label = "odd times";
    if (o->older_than)
        s->older = olv_instant_cutoff(o->now, *o->older_than);
    if (o->newer_than)
        s->newer = olv_instant_cutoff(o->now, *o->newer_than);
    s->kinds = o->kinds ? o->kinds : ~(1u << OLV_KIND_DIRECTORY);
    if (o->where && !o->kinds)
        s->kinds = ~0u; /* the statement decides */
}

static bool begin_workers(struct surveyor *s, unsigned workers, struct olv_error *err)
{
    s->workers = calloc(workers, sizeof *s->workers);
    if (s->options->where && !(s->where_ages = olv_expr_bind(s->options->where, s->options->now, NULL)))
        return olv_fail_memory(err);
    for (unsigned i = 0; s->workers && i < workers; i++)
        if (!(s->workers[i].scratch = olv_expr_scratch_new()))
            return olv_fail_memory(err);
    return s->workers ? true : olv_fail_memory(err);
}

static void end_worker(struct survey_worker *w)
{
    tops_free(w->largest, w->largest_count);
    tops_free(w->eldest, w->eldest_count);
    free(w->owners);
    olv_expr_scratch_free(w->scratch);
    olv_text_free(&w->record);
    olv_text_free(&w->path);
}

/* ---- where ---- */

struct walk_roots {
    const char **paths; /* canonical; owned */
    size_t count;
};

static void add_root(struct walk_roots *t, struct scan_relay *relay, const char *path)
{
    struct olv_observer observer = scan_relay_observer(relay);
    char *real = olv_path_real(path);
    struct olv_stat stat;
    if (!real) {
        olv_observe_unreadable(&observer, path, "looking for it", errno);
    } else if (olv_os_stat_path(real, &stat) && stat.kind != OLV_KIND_DIRECTORY) {
        olv_observe_unreadable(&observer, path, "it is not a directory", 0);
        free(real);
    } else {
        t->paths[t->count++] = real;
    }
}

static int by_name(const void *a, const void *b)
{
    const char *const *x = a, *const *y = b;
    return strcmp(*x, *y);
}

/* Nested ones are walked only once. */
static void drop_nested(struct walk_roots *t)
{
    size_t kept = 0;
    if (t->count)
        qsort(t->paths, t->count, sizeof *t->paths, by_name);
    for (size_t i = 0; i < t->count; i++)
        if (kept && olv_path_behind(t->paths[i], t->paths[kept - 1]))
            free((char *)(uintptr_t)t->paths[i]);
        else
            t->paths[kept++] = t->paths[i];
    t->count = kept;
}

bool olv_survey_make(struct olv_survey *survey, const char *const *paths, size_t count_of_paths,
                     const struct olv_survey_options *options, const struct olv_observer *observer,
                     struct olv_error *err)
{
    struct surveyor s = {.survey = survey, .options = options, .relay = {.observer = observer}};
    struct olv_scan_visitor visitor = {.self = &s, .enter = survey_enter, .visit = survey_visit};
    struct walk_roots roots = {.paths = calloc(count_of_paths + 1, sizeof *roots.paths)};
    unsigned workers = olv_scan_workers();
    bool ok;
    survey_begin(&s);
    for (size_t i = 0; roots.paths && i < count_of_paths; i++)
        add_root(&roots, &s.relay, paths[i]);
    drop_nested(&roots);
    survey->roots = roots.count;
    ok = (roots.paths || olv_fail_memory(err)) && begin_workers(&s, workers, err) &&
         (!options->wants_list || (survey->list = olv_sorter_new(err)));
    if (ok && options->is_reversed && survey->list)
        olv_sorter_reverse(survey->list);
    ok = ok && scan_relayed(roots.paths, roots.count, &visitor, &s.relay, err);
    for (unsigned i = 0; s.workers && i < workers; i++) {
        if (ok)
            survey_merge(survey, &s.workers[i]);
        end_worker(&s.workers[i]);
    }
    owners_sort(survey->owners, survey->owner_count);
    for (size_t i = 0; i < roots.count; i++)
        free((char *)(uintptr_t)roots.paths[i]);
    free(roots.paths);
    free(s.workers);
    free(s.where_ages);
    survey->troubles += s.relay.unreadable;
    survey->other_mounts += s.relay.other_mounts;
    return ok;
}

void olv_survey_free(struct olv_survey *survey)
{
    tops_free(survey->largest, survey->largest_count);
    tops_free(survey->eldest, survey->eldest_count);
    free(survey->owners);
    olv_sorter_free(survey->list);
    *survey = (struct olv_survey){0};
}
