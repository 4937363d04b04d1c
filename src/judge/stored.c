/* SPDX-License-Identifier: Apache-2.0 */
#include "judge/stored.h"
#include "olvido/path.h"

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

/* It is in an archive; a former name is the trace of an earlier act in place. */
static bool stored_has_had(struct olv_subject *subject, const struct olv_step *step)
{
    const struct stored_subject *s = (struct stored_subject *)subject;
    return step->act->destination == OLV_TO_DEPOT || *s->file->was;
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
    *s = (struct stored_subject){.judge = j, .file = f, .stat = stat_of(f)};
    if (!find_scope(j, f->path) || !find_path(j, f))
        return false;
    s->path = olv_text_string(&j->path);
    s->depth = depth_of(s->path);
    s->subject = (struct olv_subject){
        .name = olv_path_name(s->path), .kind = f->kind, .stat = &s->stat, .facts = &stored_facts};
    s->subject.name_len = strlen(s->subject.name);
    return true;
}

enum olv_reason stored_reason(const struct olv_policy *policy, const struct olv_verdict *v)
{
    if (v->reason == OLV_HAD || v->reason == OLV_NOT_DUE ||
        (v->reason == OLV_DUE && !(policy->rules[v->rule].steps[v->step].act->traits & OLV_IN_DEPOTS)))
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
