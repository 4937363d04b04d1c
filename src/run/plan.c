/* SPDX-License-Identifier: Apache-2.0 */
/* source -> decide -> docket, for file trees. Each worker keeps tallies and a segment of its own; they meet
 * once at the end (tallies) or whenever a segment is full. */
#include "olvido/plan.h"

#include "file/identity.h"
#include "guard/guard.h"
#include "os/os.h"
#include "run/roots.h"
#include "scan/scan.h"

#include <errno.h>
#include <stdatomic.h>
#include <stdlib.h>
#include <string.h>

struct planner;

struct plan_worker {
    struct planner *planner;
    struct olv_expr_scratch *scratch;
    struct olv_rule_tally *rules;
    uint64_t looked_at, not_owned, due_files, due_bytes;
    struct olv_segment_writer segment;
    uint64_t dir; /* serial of the one that `dir_path` spells and `dir_stat` describes, or 0 */
    bool is_system;
    struct olv_text dir_path, below, path;
    struct olv_stat dir_stat;
};

struct planner {
    struct olv_plan *plan;
    const struct olv_policy *policy;
    const struct olv_plan_options *options;
    const struct olv_observer *observer; /* the caller's */
    struct olv_decider *decider;
    struct roots roots;
    struct plan_worker *workers;
    unsigned worker_count;
    atomic_bool has_failed;
    struct olv_error error; /* of the one who set has_failed */
};

/* An entry of the walk, as the statements of a policy see it. */
struct tree_subject {
    struct olv_subject subject; /* first member */
    struct olv_scan_entry *entry;
    struct plan_worker *worker;
};

static const struct olv_stat *look(struct olv_subject *subject)
{
    struct tree_subject *s = (struct tree_subject *)subject;
    if (olv_scan_look(s->entry))
        subject->stat = &s->entry->stat;
    return subject->stat;
}

static const char *path(struct olv_subject *subject, size_t *len)
{
    struct tree_subject *s = (struct tree_subject *)subject;
    struct olv_text *text = &s->worker->path;
    olv_text_clear(text);
    olv_scan_dir_path_below(s->entry->dir, text);
    if (text->len)
        olv_text_add(text, "/", 1);
    olv_text_add(text, s->entry->name, s->entry->name_len);
    if (text->failed || text->len < subject->path_skip)
        return NULL;
    *len = text->len - subject->path_skip;
    return text->data + subject->path_skip;
}

static enum olv_truth is_open(struct olv_subject *subject)
{
    struct tree_subject *s = (struct tree_subject *)subject;
    if (subject->kind != OLV_KIND_FILE)
        return OLV_NO;
    return olv_os_is_open_for_writing(s->entry->dir_fd, s->entry->name);
}

static enum olv_truth is_empty(struct olv_subject *subject)
{
    (void)subject; /* directories are not judged yet */
    return OLV_UNKNOWN;
}

static const struct olv_subject_facts tree_facts = {look, path, is_open, is_empty};

/* ---- tallies ---- */

static void count(struct olv_tally *tally, const struct olv_stat *stat)
{
    if (tally->files == 0 || olv_instant_compare(stat->modified, tally->oldest) < 0)
        tally->oldest = stat->modified;
    tally->files++;
    tally->bytes += stat->size_bytes;
}

static void add_tally(struct olv_tally *to, const struct olv_tally *from)
{
    if (from->files && (to->files == 0 || olv_instant_compare(from->oldest, to->oldest) < 0))
        to->oldest = from->oldest;
    to->files += from->files;
    to->bytes += from->bytes;
}

static struct olv_rule_tally *new_rules(const struct olv_policy *policy)
{
    size_t steps = 0;
    struct olv_rule_tally *rules;
    struct olv_tally *next;
    for (size_t i = 0; i < policy->rule_count; i++)
        steps += policy->rules[i].step_count;
    if (policy->rule_count == 0)
        return NULL;
    rules = calloc(1, policy->rule_count * sizeof *rules + steps * sizeof *next);
    if (!rules)
        return NULL;
    next = (struct olv_tally *)(rules + policy->rule_count);
    for (size_t i = 0; i < policy->rule_count; i++) {
        rules[i].steps = next;
        next += policy->rules[i].step_count;
    }
    return rules;
}

static void merge(struct planner *p, const struct plan_worker *w)
{
    struct olv_plan *plan = p->plan;
    if (!w->rules || !plan->rules)
        return;
    plan->looked_at += w->looked_at;
    plan->not_owned += w->not_owned;
    plan->due_files += w->due_files;
    plan->due_bytes += w->due_bytes;
    for (size_t i = 0; i < p->policy->rule_count; i++) {
        struct olv_rule_tally *to = &plan->rules[i], *from = &w->rules[i];
        add_tally(&to->owned, &from->owned);
        add_tally(&to->not_due, &from->not_due);
        add_tally(&to->settling, &from->settling);
        add_tally(&to->odd_time, &from->odd_time);
        add_tally(&to->guarded, &from->guarded);
        to->undecided += from->undecided;
        for (size_t k = 0; k < p->policy->rules[i].step_count; k++)
            add_tally(&to->steps[k], &from->steps[k]);
    }
}

/* ---- the docket ---- */

static void fail(struct planner *p, const struct olv_error *err)
{
    if (!atomic_exchange(&p->has_failed, true))
        p->error = *err;
}

static void flush(struct plan_worker *w)
{
    struct olv_error err = {0};
    if (w->segment.entries && !olv_spool_add(w->planner->plan->docket, &w->segment.bytes, &err))
        fail(w->planner, &err);
    olv_segment_begin(&w->segment);
}

/* Makes sure that the worker knows the path and the identity of the entry's directory. */
static bool know_directory(struct plan_worker *w, const struct olv_scan_entry *entry)
{
    bool ok;
    if (w->dir == entry->dir->serial)
        return true;
    olv_text_clear(&w->dir_path);
    olv_scan_dir_path(entry->dir, &w->dir_path);
    ok = !w->dir_path.failed && olv_os_stat(entry->dir_fd, "", &w->dir_stat);
    w->is_system = ok && olv_guard_is_system(w->dir_path.data);
    w->dir = ok ? entry->dir->serial : 0;
    return ok;
}

static bool is_guarded(const struct plan_worker *w, const struct olv_stat *stat)
{
    return w->is_system || olv_guard_is_own(w->planner->options->guard, stat->device, stat->inode);
}

static void add_to_docket(struct plan_worker *w, const struct olv_scan_entry *entry,
                          const struct olv_step *step, struct olv_verdict v)
{
    struct olv_docket_entry e = {
        .rule = v.rule,
        .step = v.step + 1,
        .rule_name = w->planner->policy->rules[v.rule].name,
        .act = step->act,
        .identity = olv_identity_of(&entry->stat),
        .directory = w->dir_path.data,
        .directory_mount = w->dir_stat.mount,
        .directory_inode = w->dir_stat.inode,
        .name = entry->name,
        .target = "",
    };
    olv_instant_add(entry->stat.modified, step->after, &e.due);
    olv_segment_add(&w->segment, &e);
    if (w->segment.entries == OLV_SEGMENT_ENTRIES)
        flush(w);
}

static void note_due(struct plan_worker *w, struct olv_scan_entry *entry, struct olv_verdict v)
{
    const struct olv_plan_options *options = w->planner->options;
    const struct olv_step *step = &w->planner->policy->rules[v.rule].steps[v.step];
    struct olv_rule_tally *tally = &w->rules[v.rule];
    if (!know_directory(w, entry)) {
        fail(w->planner, &(struct olv_error){.code = OLV_MEMORY, .what = "memory ran out"});
        return;
    }
    if (step->act != OLV_ACT_TELL && is_guarded(w, &entry->stat)) {
        count(&tally->guarded, &entry->stat);
        return;
    }
    count(&tally->steps[v.step], &entry->stat);
    if (options->selected && !options->selected[v.rule])
        return;
    w->due_files++;
    w->due_bytes += entry->stat.size_bytes;
    if (options->wants_docket)
        add_to_docket(w, entry, step, v);
}

/* ---- the walk ---- */

static void note(struct plan_worker *w, struct olv_scan_entry *entry, struct olv_verdict v)
{
    struct olv_rule_tally *tally = &w->rules[v.rule];
    if (v.reason == OLV_NOT_OWNED || v.reason == OLV_GONE) {
        w->not_owned += v.reason == OLV_NOT_OWNED;
        return;
    }
    if (v.reason == OLV_UNDECIDED) {
        tally->undecided++;
        return;
    }
    count(&tally->owned, &entry->stat);
    if (v.reason == OLV_NOT_DUE)
        count(&tally->not_due, &entry->stat);
    else if (v.reason == OLV_SETTLING)
        count(&tally->settling, &entry->stat);
    else if (v.reason == OLV_ODD_TIME)
        count(&tally->odd_time, &entry->stat);
    else if (v.reason == OLV_KEPT)
        count(&tally->steps[v.step], &entry->stat);
    else
        note_due(w, entry, v);
}

static void visit(void *self, unsigned number, struct olv_scan_entry *entry)
{
    struct planner *p = self;
    struct plan_worker *w = &p->workers[number];
    struct tree_subject s = {.entry = entry, .worker = w};
    if (entry->kind == OLV_KIND_DIRECTORY)
        return;
    s.subject = (struct olv_subject){
        .name = entry->name, .name_len = entry->name_len, .kind = entry->kind, .facts = &tree_facts};
    if (entry->has_stat)
        s.subject.stat = &entry->stat;
    w->looked_at++;
    note(w, entry, olv_decide(p->decider, entry->dir->tag, entry->dir->depth + 1, &s.subject, w->scratch));
}

static bool enter(void *self, unsigned number, struct olv_scan_dir *dir, int dir_fd)
{
    struct planner *p = self;
    struct plan_worker *w = &p->workers[number];
    const struct root_place *place;
    struct olv_stat stat;
    if (atomic_load(&p->has_failed))
        return false;
    if (olv_os_stat(dir_fd, "", &stat) && olv_guard_is_own(p->options->guard, stat.device, stat.inode))
        return false;
    if (dir->depth > 0 && !p->roots.has_nested[dir->root])
        return true;
    olv_text_clear(&w->below);
    olv_scan_dir_path(dir, &w->below);
    place = roots_place(&p->roots, dir->root, olv_text_string(&w->below));
    if (place)
        dir->tag = place->scope;
    return true;
}

static void on_trouble(void *self, const struct olv_trouble *trouble)
{
    struct planner *p = self;
    p->plan->troubles += trouble->kind == OLV_TROUBLE_UNREADABLE;
    olv_observe_trouble(p->observer, *trouble);
}

static void on_progress(void *self, const struct olv_progress *progress)
{
    struct planner *p = self;
    olv_observe_progress(p->observer, *progress);
}

static bool is_interrupted(void *self)
{
    struct planner *p = self;
    return atomic_load(&p->has_failed) || olv_observe_interrupted(p->observer);
}

static bool begin(struct planner *p, const struct olv_observer *observer, struct olv_error *err)
{
    p->worker_count = olv_scan_workers();
    p->workers = calloc(p->worker_count, sizeof *p->workers);
    p->plan->rules = new_rules(p->policy);
    p->decider = olv_decider_new(p->policy, p->options->now, p->options->as_of);
    if (!p->workers || !p->plan->rules || !p->decider || !roots_find(&p->roots, p->policy, observer))
        return olv_fail_memory(err);
    for (unsigned i = 0; i < p->worker_count; i++) {
        struct plan_worker *w = &p->workers[i];
        w->planner = p;
        w->scratch = olv_expr_scratch_new();
        w->rules = new_rules(p->policy);
        if (!w->scratch || !w->rules)
            return olv_fail_memory(err);
        olv_segment_begin(&w->segment);
    }
    if (p->options->wants_docket)
        p->plan->docket = olv_spool_new(err);
    return p->plan->docket || !p->options->wants_docket;
}

static void end(struct planner *p)
{
    for (unsigned i = 0; p->workers && i < p->worker_count; i++) {
        struct plan_worker *w = &p->workers[i];
        olv_expr_scratch_free(w->scratch);
        olv_segment_free(&w->segment);
        olv_text_free(&w->dir_path);
        olv_text_free(&w->below);
        olv_text_free(&w->path);
        free(w->rules);
    }
    free(p->workers);
    olv_decider_free(p->decider);
    roots_free(&p->roots);
}

static bool walk(struct planner *p, struct olv_error *err)
{
    struct olv_observer between = {p, on_progress, on_trouble, is_interrupted};
    struct olv_scan_visitor visitor = {p, enter, visit};
    bool ok =
        p->roots.root_count == 0 || olv_scan(p->roots.paths, p->roots.root_count, &visitor, &between, err);
    for (unsigned i = 0; ok && i < p->worker_count; i++) {
        if (p->options->wants_docket)
            flush(&p->workers[i]);
        merge(p, &p->workers[i]);
    }
    if (atomic_load(&p->has_failed)) {
        *err = p->error;
        return false;
    }
    return ok;
}

bool olv_plan_make(struct olv_plan *plan, struct olv_policy *policy, const struct olv_plan_options *options,
                   const struct olv_observer *observer, struct olv_error *err)
{
    struct planner p = {.plan = plan, .policy = policy, .options = options, .observer = observer};
    bool ok;
    *plan = (struct olv_plan){.now = options->now, .as_of = options->as_of};
    ok = begin(&p, &(struct olv_observer){&p, on_progress, on_trouble, is_interrupted}, err) && walk(&p, err);
    end(&p);
    return ok;
}

void olv_plan_free(struct olv_plan *plan)
{
    free(plan->rules);
    olv_spool_free(plan->docket);
    *plan = (struct olv_plan){0};
}
