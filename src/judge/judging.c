/* SPDX-License-Identifier: Apache-2.0 */
#include "judge/judging.h"

#include "olvido/guard.h"
#include "olvido/protected.h"

#include <stdlib.h>
#include <string.h>

static const struct olv_subject_facts tree_facts;

/* ---- what it was ---- */

static bool path_of(const void *self, struct olv_text *out)
{
    const struct olv_scan_entry *entry = self;
    olv_scan_dir_path(entry->dir, out);
    olv_text_printf(out, "%s%s", out->len > 1 ? "/" : "", entry->name);
    return true;
}

static struct former_file former_of(const struct tree_subject *s)
{
    const struct judging *j = s->judge->judging;
    const struct olv_scan_entry *entry = s->scan.entry;
    return (struct former_file){.notes = j->options->notes,
                                .reg = j->options->reg,
                                .asking = j->asking,
                                .dir = entry->dir_fd,
                                .name = entry->name,
                                .path = path_of,
                                .self = entry,
                                .stat = &entry->stat};
}

static bool judging_has_had(struct olv_subject *subject, const struct olv_step *step)
{
    struct tree_subject *s = (struct tree_subject *)subject;
    struct former_file file = former_of(s);
    return former_has_had(&s->former, &file, step);
}

static const struct olv_stat *look(struct olv_subject *subject)
{
    struct tree_subject *s = (struct tree_subject *)subject;
    return s->former.is_known ? subject->stat = &s->former.stat : scan_subject_look(subject);
}

void judge_subject_begin(struct tree_subject *s, struct judge *judge, struct olv_scan_entry *entry)
{
    struct olv_subject *subject = &s->scan.subject;
    struct former_file file;
    s->judge = judge;
    s->former.is_known = false;
    scan_subject_begin(&s->scan, entry, &judge->path, &tree_facts);
    if (entry->kind != OLV_KIND_FILE || !former_is_likely(entry->name) || !scan_subject_look(subject))
        return;
    file = former_of(s);
    former_find(&s->former, &file);
    if (!s->former.is_known)
        return;
    subject->stat = &s->former.stat;
    subject->name = s->former.origin.name;
    subject->name_len = strlen(subject->name);
}

/* ---- what keeps it ---- */

static enum olv_truth judging_is_held(struct olv_subject *subject)
{
    struct tree_subject *s = (struct tree_subject *)subject;
    const struct olv_holds *holds = s->judge->judging->options->holds;
    const char *where = holds && scan_subject_look(subject) ? scan_subject_whole_path(&s->scan) : NULL;
    if (!holds)
        return OLV_NO;
    return where ? holds->is_held(holds->self, where, subject->stat) : OLV_UNKNOWN;
}

static bool in_respite(struct olv_subject *subject)
{
    struct tree_subject *s = (struct tree_subject *)subject;
    const struct olv_plan_options *options = s->judge->judging->options;
    const struct olv_scope *scope = s->scan.entry->dir->tag;
    if (scope && scope->in_respite)
        return true;
    return options->respites && olv_respites_include(options->respites, subject->stat, options->as_of,
                                                     scan_subject_whole_path, &s->scan);
}

/* What is open for writing; NULL if that does not matter or cannot be known. */
static const struct olv_os_in_use *files_in_use(struct use_lookup *use)
{
    const struct olv_os_in_use *files = use->files;
    if (files || !use->is_wanted)
        return files;
    pthread_mutex_lock(&use->mutex);
    if (!use->is_done)
        use->files = olv_os_in_use_read();
    use->is_done = true;
    files = use->files;
    pthread_mutex_unlock(&use->mutex);
    return files;
}

static bool is_in_use(struct olv_subject *subject)
{
    struct tree_subject *s = (struct tree_subject *)subject;
    const struct olv_os_in_use *files;
    if (s->judge->judging->is_about_one)
        return scan_subject_is_open(subject) == OLV_YES;
    files = files_in_use(s->judge->judging->use);
    return files && olv_os_is_in_use(files, subject->stat->device, subject->stat->inode);
}

/* What only our own acts changed does not make it younger. */
static struct olv_instant changed(struct olv_subject *subject)
{
    const struct tree_subject *s = (const struct tree_subject *)subject;
    const struct judging *j = s->judge->judging;
    struct olv_stat stat = *subject->stat;
    struct olv_error err = {0};
    if (!j->options->reg)
        return stat.changed;
    pthread_mutex_lock(&j->asking->lock);
    if (olv_register_before_marked(j->options->reg, &stat, &err) == OLV_UNKNOWN &&
        j->asking->error.code == OLV_OK)
        j->asking->error = err;
    pthread_mutex_unlock(&j->asking->lock);
    return stat.changed;
}

static const struct olv_subject_facts tree_facts = {look,
                                                    scan_subject_path,
                                                    scan_subject_is_open,
                                                    scan_subject_is_empty,
                                                    judging_is_held,
                                                    in_respite,
                                                    judging_has_had,
                                                    is_in_use,
                                                    changed};

/* ---- what all share ---- */

/* What is open now says nothing about another day. */
static bool asks_for_use(const struct judging *j)
{
    enum { SAME_TIME_S = 60 };
    if (j->options->as_of.s > j->options->now.s + SAME_TIME_S)
        return false;
    for (size_t i = 0; i < j->policy->rule_count; i++)
        for (size_t k = 0; k < j->policy->rules[i].step_count; k++)
            if (j->policy->rules[i].steps[k].act->traits & OLV_TOUCHES && !j->policy->rules[i].open_too)
                return true;
    return false;
}

bool judging_begin(struct judging *j, const struct olv_policy *policy, const struct olv_plan_options *options,
                   const struct olv_observer *observer, struct olv_error *err)
{
    *j = (struct judging){.policy = policy, .options = options};
    for (size_t i = 0; i < policy->rule_count; i++)
        j->has_directories |= policy->rules[i].has_directories;
    j->decider = olv_decider_new(policy, options->now, options->as_of);
    j->use = calloc(1, sizeof *j->use);
    j->asking = calloc(1, sizeof *j->asking);
    if (j->asking)
        pthread_mutex_init(&j->asking->lock, NULL);
    if (j->use)
        pthread_mutex_init(&j->use->mutex, NULL);
    if (!j->use || !j->asking)
        return olv_fail_memory(err);
    j->use->is_wanted = asks_for_use(j);
    return j->decider ? roots_find(&j->roots, policy, observer, err) : olv_fail_memory(err);
}

bool judging_is_sure(const struct judging *j, struct olv_error *err)
{
    if (j->asking->error.code == OLV_OK)
        return true;
    *err = j->asking->error;
    return false;
}

void judging_before_emptied(const struct judging *j, const struct olv_scan_dir *dir, struct olv_stat *stat)
{
    struct olv_text path = {0};
    struct olv_error err = {0};
    if (!j->options->reg)
        return;
    olv_scan_dir_path(dir, &path);
    pthread_mutex_lock(&j->asking->lock);
    if ((path.failed ? (olv_fail_memory(&err), OLV_UNKNOWN)
                     : olv_register_before_emptied(j->options->reg, path.data, stat, &err)) == OLV_UNKNOWN &&
        j->asking->error.code == OLV_OK)
        j->asking->error = err;
    pthread_mutex_unlock(&j->asking->lock);
    olv_text_free(&path);
}

void judging_end(struct judging *j)
{
    olv_decider_free(j->decider);
    if (j->use) {
        olv_os_in_use_free(j->use->files);
        pthread_mutex_destroy(&j->use->mutex);
        free(j->use);
    }
    if (j->asking) {
        pthread_mutex_destroy(&j->asking->lock);
        free(j->asking);
    }
    roots_free(&j->roots);
}

bool judge_begin(struct judge *judge, const struct judging *judging)
{
    *judge = (struct judge){.judging = judging, .scratch = olv_expr_scratch_new()};
    return judge->scratch != NULL;
}

void judge_end(struct judge *judge)
{
    olv_expr_scratch_free(judge->scratch);
    olv_text_free(&judge->path);
    olv_text_free(&judge->below);
}

/* ---- directories on the way ---- */

struct directory_subject {
    struct judge *judge;
    const struct olv_scan_dir *dir;
};

static const char *directory_path(void *self)
{
    struct directory_subject *s = self;
    olv_text_clear(&s->judge->below);
    olv_scan_dir_path(s->dir, &s->judge->below);
    return s->judge->below.failed ? NULL : s->judge->below.data;
}

static bool in_spared_tree(const struct olv_scan_dir *dir)
{
    const struct olv_scope *above = dir->tag;
    return above && above->in_respite;
}

/* Whether this directory, and so everything in it, was recovered recently. */
static bool is_spared_tree(struct judge *judge, const struct olv_scan_dir *dir, const struct olv_stat *stat)
{
    const struct olv_plan_options *options = judge->judging->options;
    return options->respites && !in_spared_tree(dir) &&
           olv_respites_include(options->respites, stat, options->as_of, directory_path,
                                &(struct directory_subject){judge, dir});
}

bool judge_enter(struct judge *judge, struct olv_scan_dir *dir, const struct olv_stat *stat)
{
    const struct judging *j = judge->judging;
    const struct rules_begin *place;
    if (olv_guard_is_own(j->options->guard, stat->device, stat->inode))
        return false;
    judge->entered = dir->serial;
    judge->entered_stat = *stat;
    if (dir->depth == 0 || j->roots.has_nested[dir->root]) {
        olv_text_clear(&judge->below);
        olv_scan_dir_path(dir, &judge->below);
        place = roots_find_path(&j->roots, dir->root, olv_text_string(&judge->below));
        if (place)
            dir->tag = in_spared_tree(dir) ? place->scope->spared : place->scope;
    }
    if (is_spared_tree(judge, dir, stat))
        dir->tag = ((const struct olv_scope *)dir->tag)->spared;
    return true;
}

/* ---- verdicts ---- */

struct olv_verdict judge_file(struct judge *judge, struct olv_scan_entry *entry)
{
    struct tree_subject s;
    judge_subject_begin(&s, judge, entry);
    return olv_decide(judge->judging->decider, entry->dir->tag, entry->dir->depth + 1, &s.scan.subject,
                      judge->scratch);
}

struct olv_instant judge_clock(struct judge *judge, struct olv_scan_entry *entry, uint32_t rule)
{
    struct tree_subject s;
    judge_subject_begin(&s, judge, entry);
    return olv_decider_clock(judge->judging->decider, rule, &s.scan.subject);
}

struct judged_entry judge_entry(struct judge *judge, struct olv_scan_entry *entry)
{
    struct tree_subject s;
    judge_subject_begin(&s, judge, entry);
    return (struct judged_entry){.is_held = judging_is_held(&s.scan.subject) != OLV_NO,
                                 .in_respite = in_respite(&s.scan.subject),
                                 .is_in_use = is_in_use(&s.scan.subject)};
}

struct judged_directory judge_directory(struct judge *judge, struct olv_scan_entry *entry)
{
    const struct judging *j = judge->judging;
    const struct olv_scope *scope = entry->dir->tag;
    struct judged_directory out = {.reason = OLV_NOT_OWNED};
    struct tree_subject s;
    enum olv_reason ignored;
    judge_subject_begin(&s, judge, entry);
    for (uint32_t i = 0; out.reason == OLV_NOT_OWNED && i < scope->count; i++) {
        enum olv_truth answer = olv_decider_fits(j->decider, &scope->rules[i], entry->dir->depth + 1,
                                                 &s.scan.subject, judge->scratch);
        out.rule = scope->rules[i].rule;
        if (answer != OLV_NO)
            out.reason = answer == OLV_YES ? OLV_DUE : OLV_UNDECIDED;
    }
    if (out.reason == OLV_NOT_OWNED)
        return out;
    if (!scan_subject_look(&s.scan.subject)) {
        out.reason = OLV_GONE;
        return out;
    }
    out.is_held = judging_is_held(&s.scan.subject) != OLV_NO;
    out.in_respite = in_respite(&s.scan.subject);
    if (j->policy->rules[out.rule].clock == OLV_CLOCK_NAME)
        out.has_own_start =
            olv_decider_start(j->decider, out.rule, &s.scan.subject, &out.own_start, &ignored);
    return out;
}
