/* SPDX-License-Identifier: Apache-2.0 */
/* Judges one file as a plan would, and keeps every intermediate answer. */
#include "olvido/explain.h"

#include "base/arena.h"
#include "judge/decide.h"
#include "judge/obstacles.h"
#include "judge/stored.h"
#include "olvido/path.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

struct olv_explanation_memory {
    struct olv_arena arena;
};

struct explaining {
    struct olv_explanation *out;
    struct olv_arena *arena;
    const struct olv_policy *policy;
    const struct olv_plan_options *options;
    struct judging judging;
    struct judge judge;
    struct whole_view whole;         /* of a policy with rules about directories */
    struct olv_stat times;           /* scratch for find_steps */
    const struct rules_begin *place; /* the innermost `under` around it; NULL: none */
    int dir;                         /* the file's directory */
    const char *name;                /* in it */
    struct olv_scan_dir root, below; /* its place, as in a walk */
    struct olv_scan_entry entry;
    struct tree_subject subject;
    struct olv_subject *asked;     /* the file, or what lies in a depot */
    const struct olv_scope *scope; /* the rules that may apply */
    uint32_t depth;
};

/* ---- where it is ---- */

/* The real path of a name in a directory; of a missing directory, the path as it is. */
static char *real_path(char *directory, const char *name)
{
    struct olv_text path = {0};
    char *real = directory ? olv_path_real(directory) : NULL;
    if (real)
        olv_path_add(&path, real, name);
    free(directory);
    free(real);
    return path.data;
}

/* Resolves links except in the last component, which is what is asked about. If the directory is missing, the
 * ledger may still know the path as given. */
static bool find_path(struct explaining *x, const char *path, struct olv_error *err)
{
    size_t len = strlen(path);
    const char *name;
    char *real;
    while (len > 1 && path[len - 1] == '/')
        len--;
    if (len == 0 || len > OLV_LONGEST_PATH)
        return olv_fail(err, OLV_USAGE, len ? "the path is too long" : "an empty path names nothing");
    x->out->path = olv_arena_copy(x->arena, path, len);
    if (!x->out->path)
        return olv_fail_memory(err);
    name = olv_path_name(x->out->path);
    if (!*name || strcmp(name, ".") == 0 ||
        strcmp(name, "..") == 0) { /* a directory without a name of its own */
        real = olv_path_real(x->out->path);
        if (!real)
            return olv_fail_system(err, path, "cannot find it");
    } else {
        real = real_path(olv_path_directory(x->out->path), name);
    }
    if (real)
        x->out->path = olv_arena_copy(x->arena, real, strlen(real));
    free(real);
    return x->out->path || olv_fail_memory(err);
}

/* False with `err` if it cannot be known whether the file exists. */
static bool explain_look(struct explaining *x, struct olv_error *err)
{
    char *directory = olv_path_directory(x->out->path);
    bool ok = directory || olv_fail_memory(err);
    x->name = olv_path_name(x->out->path);
    x->dir = ok ? olv_os_open_path(directory) : -1;
    x->out->exists = x->dir >= 0 && olv_os_stat(x->dir, x->name, &x->out->stat);
    if (ok && !x->out->exists && !olv_os_is_absent(errno))
        ok = olv_fail_system(err, x->out->path, "looking at it");
    free(directory);
    return ok;
}

static bool lies_in(const char *path, const char *top)
{
    const char *rest = olv_path_behind(path, top);
    return rest && *rest;
}

static bool find_place(struct explaining *x, struct olv_error *err)
{
    struct olv_stat directory;
    if (!olv_os_stat(x->dir, "", &directory))
        return olv_fail_system(err, x->out->path, "looking at its directory");
    for (size_t i = 0; i < x->judging.roots.count; i++) {
        const struct rules_begin *place = &x->judging.roots.places[i];
        if (place->mount == directory.mount && lies_in(x->out->path, place->path) &&
            (!x->place || strlen(place->path) >= strlen(x->place->path)))
            x->place = place;
    }
    return true;
}

/* The entry that a walk of the innermost `under` would reach. */
static void find_entry(struct explaining *x)
{
    const char *path = x->out->path, *root = x->place ? x->judging.roots.paths[x->place->root] : path;
    size_t top = x->place ? strlen(root) : (size_t)(x->name - path) - 1;
    const char *from = path + (top > 1 ? top + 1 : 1);
    x->root = (struct olv_scan_dir){.name = root, .name_len = top ? top : 1};
    if (x->place)
        x->root.tag = x->place->scope;
    x->below = x->root;
    if (from < x->name) {
        x->below.parent = &x->root;
        x->below.name = from;
        x->below.name_len = (size_t)(x->name - from) - 1;
    }
    for (const char *p = from; p < x->name; p++)
        x->below.depth += *p == '/';
    x->entry = (struct olv_scan_entry){.dir = from < x->name ? &x->below : &x->root,
                                       .dir_fd = x->dir,
                                       .name = x->name,
                                       .name_len = strlen(x->name),
                                       .kind = x->out->stat.kind,
                                       .has_stat = true,
                                       .stat = x->out->stat};
    x->depth = x->entry.dir->depth + 1;
}

/* ---- its rule ---- */

static const char *why(struct explaining *x, const struct olv_rule *rule, enum olv_truth answer)
{
    struct olv_text text = {0};
    const char *copy;
    if (rule->where_expr)
        olv_expr_explain(rule->where_expr, x->asked, x->judge.scratch, answer, x->options->as_of, &text);
    else if (answer == OLV_NO)
        olv_text_printf(&text, "it is about files, and this is a %s", olv_kind_word(x->out->stat.kind));
    copy = olv_arena_copy(x->arena, olv_text_string(&text), text.len);
    olv_text_free(&text);
    return copy ? copy : "";
}

static bool ask_rules(struct explaining *x)
{
    const struct olv_scope *scope = x->scope;
    struct olv_explanation *out = x->out;
    out->rules = olv_arena_alloc(x->arena, (scope->count + 1) * sizeof *out->rules);
    for (uint32_t i = 0; out->rules && i < scope->count; i++) {
        const struct olv_scope_rule *candidate = &scope->rules[i];
        enum olv_truth answer =
            olv_decider_fits(x->judging.decider, candidate, x->depth, x->asked, x->judge.scratch);
        out->rules[out->rule_count++] = (struct olv_explained_rule){
            candidate->rule, answer, why(x, &x->policy->rules[candidate->rule], answer)};
        if (answer != OLV_NO)
            break;
    }
    out->verdict = olv_decide(x->judging.decider, scope, x->depth, x->asked, x->judge.scratch);
    return out->rules != NULL;
}

static bool find_steps(struct explaining *x)
{
    struct olv_explanation *out = x->out;
    const struct olv_rule *rule = &x->policy->rules[out->verdict.rule];
    enum olv_reason ignored;
    out->steps = olv_arena_alloc(x->arena, (rule->step_count + 1) * sizeof *out->steps);
    if (!out->steps)
        return false;
    if (x->whole.is_directory) { /* as old as its contents */
        x->times = out->stat;
        summary_times(&x->whole.summary, &x->times);
        x->asked->stat = &x->times;
    }
    out->clock = olv_decider_clock(x->judging.decider, out->verdict.rule, x->asked);
    out->has_start =
        olv_decider_start(x->judging.decider, out->verdict.rule, x->asked, &out->start, &ignored);
    for (uint32_t i = 0; out->has_start && i < rule->step_count; i++) {
        struct olv_explained_step *step = &out->steps[i];
        step->has_time =
            olv_decider_step_time(x->judging.decider, out->verdict.rule, i, out->start, &step->when);
        step->has_come = step->has_time && olv_instant_compare(step->when, x->options->as_of) <= 0;
    }
    return true;
}

/* ---- */

/* What a directory contains, and whether a directory around it takes it along. */
static bool look_around(struct explaining *x, const struct olv_observer *observer, struct olv_error *err)
{
    struct olv_explanation *out = x->out;
    const struct whole_view *view = &x->whole;
    if (!wholes_look(&x->judging, x->place->root, out->path, &x->whole, observer, err))
        return false;
    out->is_summed_up = view->is_directory;
    out->contents = view->summary.contents;
    if (view->goes_with.len) {
        out->goes_with = olv_arena_copy(x->arena, view->goes_with.data, view->goes_with.len);
        out->goes = view->goes;
        return out->goes_with || olv_fail_memory(err);
    }
    return true;
}

static bool note_former(struct explaining *x, struct olv_error *err)
{
    const struct former *former = &x->subject.former;
    if (!former->is_known)
        return true;
    x->out->was = olv_arena_copy(x->arena, former->origin.name, strlen(former->origin.name));
    x->out->was_bytes = former->origin.size_bytes;
    x->out->was_until = former->origin.act;
    return x->out->was || olv_fail_memory(err);
}

static bool explain_begin(struct explaining *x, const struct olv_observer *observer, struct olv_error *err)
{
    if (!judging_begin(&x->judging, x->policy, x->options, observer, err))
        return false;
    x->judging.is_about_one = true;
    return judge_begin(&x->judge, &x->judging) || olv_fail_memory(err);
}

static bool explain_judge(struct explaining *x, const struct olv_observer *observer, struct olv_error *err)
{
    struct olv_explanation *out = x->out;
    if (!explain_begin(x, observer, err) || !find_place(x, err))
        return false;
    find_entry(x);
    if (x->place && x->judging.has_directories && !look_around(x, observer, err))
        return false;
    judge_subject_begin(&x->subject, &x->judge, &x->entry);
    if (!note_former(x, err))
        return false;
    obstacles_find(&x->subject, &x->whole, x->out->path, &x->out->obstacles);
    if (!x->place)
        return true;
    x->asked = &x->subject.scan.subject;
    x->scope = x->place->scope;
    if (!ask_rules(x))
        return olv_fail_memory(err);
    if (x->whole.is_directory && x->whole.summary.judged.reason == OLV_DUE)
        out->verdict = x->whole.verdict;
    if (out->verdict.reason != OLV_NOT_OWNED && out->verdict.reason != OLV_UNDECIDED && !find_steps(x))
        return olv_fail_memory(err);
    return true;
}

/* ---- what lies in a depot ---- */

struct looking_in_depots {
    struct explaining *x;
    struct stored_judge *judge;
    bool ok;
};

/* Versions come oldest first; the last one stays. */
static bool explain_stored(void *self, const struct olv_stored_file *f)
{
    struct looking_in_depots *l = self;
    struct explaining *x = l->x;
    struct olv_explanation *out = x->out;
    struct stored_subject s;
    size_t versions = out->stored_versions;
    l->ok = stored_subject_begin(&s, l->judge, f);
    if (!l->ok)
        return false;
    out->stat = s.stat;
    out->rule_count = 0;
    out->stored_versions = versions + 1;
    out->depot = olv_arena_copy(x->arena, f->depot, strlen(f->depot));
    out->archive = olv_arena_copy(x->arena, f->archive_name, strlen(f->archive_name));
    out->archived = f->archived;
    x->asked = &s.subject;
    x->scope = l->judge->scope;
    x->depth = s.depth;
    l->ok = out->depot && out->archive && ask_rules(x);
    if (l->ok && out->verdict.reason != OLV_NOT_OWNED && out->verdict.reason != OLV_UNDECIDED)
        l->ok = find_steps(x);
    out->verdict.reason = stored_reason(x->policy, &out->verdict);
    x->asked = NULL;
    return l->ok;
}

static bool look_in_depots(struct explaining *x, struct stored_judge *judge, struct olv_error *err)
{
    struct looking_in_depots l = {x, judge, true};
    return !x->options->catalogue ||
           (olv_catalogue_versions(x->options->catalogue, x->out->path, explain_stored, &l, err) &&
            (l.ok || olv_fail_memory(err)));
}

/* ---- what lies in a trash ---- */

struct looking_in_trash {
    struct explaining *x;
    struct stored_judge *judge;
    struct olv_trash *trash;
    struct olv_error error;
};

static bool judge_item(struct looking_in_trash *l, const struct olv_trash_item *item)
{
    struct explaining *x = l->x;
    struct olv_stored_file file;
    struct stored_subject s;
    if (!stored_item_begin(&s, l->judge, l->trash, item, &file, &l->error))
        return false;
    x->out->stat = s.stat;
    x->asked = &s.subject;
    x->scope = l->judge->scope;
    x->depth = s.depth;
    if (!ask_rules(x) || (x->out->verdict.reason != OLV_NOT_OWNED &&
                          x->out->verdict.reason != OLV_UNDECIDED && !find_steps(x)))
        return olv_fail_memory(&l->error);
    x->out->verdict.reason = stored_reason(x->policy, &x->out->verdict);
    x->asked = NULL;
    return true;
}

/* The newest item of the path stays. */
static bool explain_item(void *self, const struct olv_trash_item *item)
{
    struct looking_in_trash *l = self;
    struct olv_explanation *out = l->x->out;
    const struct olv_policy *policy = l->x->policy;
    const char *trash = olv_trash_path(l->trash);
    if (item->state != OLV_TRASH_SOUND || strcmp(item->path, out->path) != 0 ||
        (out->trash && olv_instant_compare(item->deleted, out->discarded) < 0))
        return true;
    out->trash = olv_arena_copy(l->x->arena, trash, strlen(trash));
    if (!out->trash)
        return olv_fail_memory(&l->error);
    out->stat = item->stat;
    out->discarded = item->deleted;
    out->rule_count = 0;
    out->verdict = (struct olv_verdict){.reason = OLV_GONE};
    out->has_trash_end = policy->has_trash_keep && *item->run &&
                         olv_zone_add(policy->zone, item->deleted, policy->trash_keep, &out->trash_end);
    return !*item->rule || judge_item(l, item);
}

static bool look_in_trashes(struct explaining *x, struct stored_judge *judge, struct olv_error *err)
{
    struct olv_trashes *trashes = x->options->trashes;
    struct looking_in_trash l = {.x = x, .judge = judge};
    for (size_t i = 0; trashes && i < olv_trashes_count(trashes); i++) {
        l.trash = olv_trashes_at(trashes, i);
        if (!olv_trash_each(l.trash, explain_item, &l, err))
            return false;
        if (l.error.code != OLV_OK) {
            *err = l.error;
            return false;
        }
    }
    return true;
}

static bool look_elsewhere(struct explaining *x, const struct olv_observer *observer, struct olv_error *err)
{
    struct stored_judge judge;
    bool ok;
    x->out->verdict.reason = OLV_GONE;
    ok = explain_begin(x, observer, err);
    ok = stored_judge_begin(&judge, x->policy, &x->judging) && ok;
    if (!ok && err->code == OLV_OK)
        olv_fail_memory(err);
    ok = ok && look_in_depots(x, &judge, err) && (x->out->stored_versions || look_in_trashes(x, &judge, err));
    stored_judge_end(&judge);
    return ok;
}

bool olv_explain(struct olv_explanation *out, const struct olv_policy *policy, const char *path,
                 const struct olv_plan_options *options, const struct olv_observer *observer,
                 struct olv_error *err)
{
    struct explaining x = {.out = out, .policy = policy, .options = options, .dir = -1};
    bool ok;
    *out = (struct olv_explanation){.verdict = {.reason = OLV_NOT_OWNED},
                                    .memory = calloc(1, sizeof *out->memory)};
    if (!out->memory)
        return olv_fail_memory(err);
    x.arena = &out->memory->arena;
    ok = find_path(&x, path, err) && explain_look(&x, err);
    if (ok && out->exists)
        ok = explain_judge(&x, observer, err) && judging_is_sure(&x.judging, err);
    else if (ok)
        ok = look_elsewhere(&x, observer, err);
    olv_os_close(x.dir);
    olv_text_free(&x.whole.goes_with);
    judge_end(&x.judge);
    judging_end(&x.judging);
    return ok;
}

void olv_explanation_free(struct olv_explanation *explanation)
{
    if (!explanation->memory)
        return;
    olv_arena_free(&explanation->memory->arena);
    free(explanation->memory);
    *explanation = (struct olv_explanation){0};
}
