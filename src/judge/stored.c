/* SPDX-License-Identifier: Apache-2.0 */
#include "judge/stored.h"
#include "olvido/path.h"
#include "scan/scan.h"

#include <stdlib.h>
#include <string.h>

static const struct olv_stat *look(struct olv_subject *subject)
{
    return subject->stat;
}

static const char *path_below(struct olv_subject *subject, size_t *len)
{
    const char *path = ((struct stored_subject *)subject)->path + subject->path_skip;
    *len = strlen(path);
    return path;
}

static enum olv_truth is_open(struct olv_subject *subject)
{
    (void)subject;
    return OLV_NO;
}

static enum olv_truth is_empty(struct olv_subject *subject)
{
    return subject->stat->size_bytes == 0 ? OLV_YES : OLV_NO;
}

static enum olv_truth stored_is_held(struct olv_subject *subject)
{
    const struct stored_subject *s = (struct stored_subject *)subject;
    const struct olv_holds *holds = s->judge->judging->options->holds;
    return holds ? holds->is_held(holds->self, s->file->path, subject->stat) : OLV_NO;
}

/* It is in an archive, or in the trash; a former name is the trace of an earlier act in place. */
static bool stored_has_had(struct olv_subject *subject, const struct olv_step *step)
{
    const struct stored_subject *s = (struct stored_subject *)subject;
    return step->act->destination == s->came_by || *s->file->was;
}

static const struct olv_subject_facts stored_facts = {.look = look,
                                                      .path = path_below,
                                                      .is_open = is_open,
                                                      .is_empty = is_empty,
                                                      .is_held = stored_is_held,
                                                      .has_had = stored_has_had};

bool stored_judge_begin(struct stored_judge *j, const struct olv_policy *policy,
                        const struct judging *judging)
{
    *j = (struct stored_judge){.policy = policy, .judging = judging, .scratch = olv_expr_scratch_new()};
    return j->scratch != NULL;
}

void stored_judge_end(struct stored_judge *j)
{
    olv_expr_scratch_free(j->scratch);
    olv_arena_free(&j->arena);
    olv_text_free(&j->directory);
    olv_text_free(&j->path);
}

/* ---- where it was ---- */

static bool find_scope(struct stored_judge *j, const char *path)
{
    size_t len = olv_path_directory_len(path);
    if (j->scope && j->directory.len == len && memcmp(j->directory.data, path, len) == 0)
        return true;
    olv_arena_free(&j->arena);
    olv_text_clear(&j->directory);
    olv_text_add(&j->directory, path, len);
    j->scope = j->directory.failed
                   ? NULL
                   : roots_scope_of(&j->judging->roots, j->policy, j->directory.data, &j->arena);
    return j->scope != NULL;
}

static uint32_t depth_of(const char *path)
{
    uint32_t depth = 0;
    for (; *path; path++)
        depth += *path == '/';
    return depth;
}

/* ---- what it was ---- */

/* Times that an archive does not keep are unknown: no step is due by them. */
static struct olv_stat stat_of(const struct olv_stored_file *f)
{
    struct olv_stat stat = {.kind = f->kind,
                            .mode = f->mode,
                            .owner = f->owner,
                            .group = f->group,
                            .links = 1,
                            .size_bytes = *f->was ? f->was_bytes : f->size_bytes,
                            .modified = f->modified,
                            .accessed = f->accessed};
    if (f->has_clock && f->clock == OLV_CLOCK_CHANGED)
        stat.changed = f->clock_time;
    if (f->has_clock && f->clock == OLV_CLOCK_BORN) {
        stat.born = f->clock_time;
        stat.has_born = true;
    }
    return stat;
}

static bool find_path(struct stored_judge *j, const struct olv_stored_file *f)
{
    const char *name = olv_path_name(f->path);
    olv_text_clear(&j->path);
    olv_text_add(&j->path, f->path, (size_t)(name - f->path));
    olv_text_puts(&j->path, *f->was ? f->was : name);
    return !j->path.failed;
}

bool stored_subject_begin(struct stored_subject *s, struct stored_judge *j, const struct olv_stored_file *f)
{
    *s = (struct stored_subject){.judge = j, .file = f, .came_by = OLV_TO_DEPOT, .stat = stat_of(f)};
    if (!find_scope(j, f->path) || !find_path(j, f))
        return false;
    s->path = olv_text_string(&j->path);
    s->depth = depth_of(s->path);
    s->subject = (struct olv_subject){
        .name = olv_path_name(s->path), .kind = f->kind, .stat = &s->stat, .facts = &stored_facts};
    s->subject.name_len = strlen(s->subject.name);
    return true;
}

/* ---- in the trash ---- */

/* Of a directory: the latest times in it. */
struct ages {
    atomic_bool has_trouble;
    struct olv_stat youngest[]; /* per worker */
};

static void make_younger(struct olv_stat *to, const struct olv_stat *from)
{
    if (olv_instant_compare(from->modified, to->modified) > 0)
        to->modified = from->modified;
    if (olv_instant_compare(from->accessed, to->accessed) > 0)
        to->accessed = from->accessed;
    if (olv_instant_compare(from->changed, to->changed) > 0)
        to->changed = from->changed;
    if (olv_instant_compare(from->born, to->born) > 0)
        to->born = from->born;
}

static void ages_visit(void *self, unsigned worker, struct olv_scan_entry *entry)
{
    struct ages *a = self;
    if (!olv_scan_look(entry))
        atomic_store(&a->has_trouble, true);
    else if (entry->kind != OLV_KIND_DIRECTORY)
        make_younger(&a->youngest[worker], &entry->stat);
}

static void ages_trouble(void *self, const struct olv_trouble *trouble)
{
    struct ages *a = self;
    (void)trouble;
    atomic_store(&a->has_trouble, true);
}

static bool find_ages(struct olv_trash *trash, const char *item, struct olv_stat *out, struct olv_error *err)
{
    unsigned workers = olv_scan_workers();
    struct ages *a = calloc(1, sizeof *a + workers * sizeof *a->youngest);
    struct olv_scan_visitor visitor = {.self = a, .visit = ages_visit};
    struct olv_observer observer = {.self = a, .trouble = ages_trouble};
    struct olv_stat youngest = {0};
    bool ok = a ? olv_scan_in(olv_trash_files(trash), item, &visitor, &observer, err) : olv_fail_memory(err);
    for (unsigned i = 0; ok && i < workers; i++)
        make_younger(&youngest, &a->youngest[i]);
    if (ok && atomic_load(&a->has_trouble))
        ok = olv_fail(err, OLV_CHANGED, "something in it could not be looked at");
    if (ok && youngest.modified.s) {
        out->modified = youngest.modified;
        out->accessed = youngest.accessed;
        out->changed = youngest.changed;
        out->born = youngest.born;
    }
    free(a);
    return ok;
}

static bool item_path(const void *self, struct olv_text *out)
{
    olv_text_puts(out, self);
    return true;
}

static void find_former(struct former *out, const struct stored_judge *j, struct olv_trash *trash,
                        const struct olv_trash_item *item)
{
    const struct former_file place = {.notes = j->judging->options->notes,
                                      .reg = j->judging->options->reg,
                                      .asking = j->judging->asking,
                                      .dir = olv_trash_files(trash),
                                      .name = item->name,
                                      .path = item_path,
                                      .self = item->path,
                                      .stat = &item->stat};
    out->is_known = false;
    if (item->stat.kind == OLV_KIND_FILE && former_is_likely(item->path))
        former_find(out, &place);
}

bool stored_item_begin(struct stored_subject *s, struct stored_judge *j, struct olv_trash *trash,
                       const struct olv_trash_item *item, struct olv_stored_file *f, struct olv_error *err)
{
    struct olv_stat stat = item->stat;
    find_former(&j->former, j, trash, item);
    *f = (struct olv_stored_file){.path = item->path,
                                  .kind = stat.kind,
                                  .mode = stat.mode,
                                  .owner = stat.owner,
                                  .group = stat.group,
                                  .size_bytes = item->size_bytes,
                                  .was = j->former.is_known ? j->former.origin.name : "",
                                  .was_bytes = j->former.is_known ? j->former.origin.size_bytes : 0};
    if (stat.kind == OLV_KIND_DIRECTORY && !find_ages(trash, item->name, &stat, err))
        return false;
    if (!stored_subject_begin(s, j, f))
        return olv_fail_memory(err);
    s->came_by = OLV_TO_TRASH;
    s->stat.modified = stat.modified;
    s->stat.accessed = stat.accessed;
    s->stat.changed = stat.changed; /* not before it was discarded */
    s->stat.born = stat.born;
    s->stat.has_born = stat.has_born;
    return true;
}

enum olv_reason stored_reason(const struct olv_policy *policy, const struct olv_verdict *v)
{
    if (v->reason == OLV_HAD || v->reason == OLV_NOT_DUE ||
        (v->reason == OLV_DUE && !(policy->rules[v->rule].steps[v->step].act->traits & OLV_IN_STORES)))
        return OLV_STORED;
    return v->reason;
}

bool stored_judge(struct stored_judge *j, const struct olv_stored_file *f, struct olv_verdict *v,
                  struct olv_stat *stat)
{
    struct stored_subject s;
    if (!stored_subject_begin(&s, j, f))
        return false;
    *v = olv_decide(j->judging->decider, j->scope, s.depth, &s.subject, j->scratch);
    v->reason = stored_reason(j->policy, v);
    *stat = s.stat;
    stat->size_bytes = f->size_bytes;
    return true;
}
