/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/plan_parts.h"

#include "depot/locate.h"
#include "file/identity.h"
#include "judge/stored.h"
#include "judge/tally.h"
#include "olvido/docket.h"
#include "source/hooks.h"

#include <errno.h>
#include <string.h>
#include <unistd.h>

struct depot_planner {
    struct olv_plan *plan;
    const struct olv_policy *policy;
    const struct judging *judging;
    const struct olv_observer *observer;
    struct stored_judge judge;
    struct olv_composing composing;
    struct olv_hasher *hasher;
    int64_t archive; /* the one that the entry describes */
    struct olv_docket_entry entry;
    struct olv_error error;
};

/* The archive's present identity is what is judged. If it cannot be reached, that is reported in its turn. */
static void know_archive(struct depot_planner *p, const struct olv_stored_file *f)
{
    struct olv_docket_entry *e = &p->entry;
    struct olv_stat stat;
    int dir;
    if (p->archive == f->archive)
        return;
    p->archive = f->archive;
    *e = (struct olv_docket_entry){.place = OLV_IN_DEPOT, .identity = {.kind = OLV_KIND_FILE}};
    dir = olv_os_open_path(f->depot_path);
    if (dir >= 0 && olv_os_stat(dir, "", &stat)) {
        e->at = olv_directory_id_of(&stat);
        if (olv_os_stat(dir, f->archive_name, &stat))
            e->identity = olv_identity_of(&stat);
        else if (errno != ENOENT)
            olv_observe_unreadable(p->observer, f->archive_name, "looking at the archive", errno);
    }
    olv_os_close(dir);
}

static bool plan_depots_add_to_docket(struct depot_planner *p, const struct olv_stored_file *f,
                                      struct olv_verdict v)
{
    struct olv_location location = locate_member(f, p->hasher);
    struct olv_docket_entry *e = &p->entry;
    know_archive(p, f);
    e->rule = v.rule;
    e->step = v.step + 1;
    e->rule_name = p->policy->rules[v.rule].name;
    e->due = olv_decider_since(p->judging->decider, v);
    e->directory = f->depot_path;
    e->name = f->archive_name;
    e->target = f->path;
    e->act = p->policy->rules[v.rule].steps[v.step].act;
    e->arguments = p->policy->rules[v.rule].steps[v.step].arguments;
    e->location = &location;
    return olv_compose_add(&p->composing, e, &p->error);
}

static bool note_due(struct depot_planner *p, const struct olv_stored_file *f, const struct olv_stat *stat,
                     struct olv_verdict v)
{
    const struct olv_plan_options *options = p->judging->options;
    const struct olv_step *step = &p->policy->rules[v.rule].steps[v.step];
    struct olv_rule_tally *tally = &p->plan->rules[v.rule];
    enum olv_reason waits = why_it_waits(options, v.rule, step->act, step->may_run_unattended);
    tally_count(waits == OLV_DUE ? &tally->steps[v.step] : &tally->by_reason[waits], stat);
    if (waits != OLV_DUE || (options->selected && !options->selected[v.rule]))
        return true;
    tally_count(&p->plan->due, stat);
    return !options->wants_docket || plan_depots_add_to_docket(p, f, v);
}

/* Directories in archives are needed only as long as something in them is. */
static bool plan_depots_judge(void *self, const struct olv_stored_file *f)
{
    struct depot_planner *p = self;
    struct olv_verdict v;
    struct olv_stat stat;
    struct olv_rule_tally *tally;
    if (olv_observe_interrupted(p->observer))
        return olv_fail(&p->error, OLV_INTERRUPTED, "interrupted");
    if (f->kind == OLV_KIND_DIRECTORY)
        return true;
    if (!stored_judge(&p->judge, f, &v, &stat))
        return olv_fail_memory(&p->error);
    tally_count(&p->plan->stored, &stat);
    if (v.reason == OLV_NOT_OWNED) {
        p->plan->stored_not_owned++;
        return true;
    }
    tally = &p->plan->rules[v.rule];
    if (v.reason != OLV_UNDECIDED)
        tally_count(&tally->owned, &stat);
    if (v.reason == OLV_DUE)
        return note_due(p, f, &stat, v);
    tally_count(v.reason == OLV_KEPT ? &tally->steps[v.step] : &tally->by_reason[v.reason], &stat);
    return true;
}

bool plan_depots(struct olv_plan *plan, const struct olv_policy *policy, const struct judging *judging,
                 const struct olv_observer *observer, struct olv_error *err)
{
    struct depot_planner p = {.plan = plan, .policy = policy, .judging = judging, .observer = observer};
    bool ok;
    if (!judging->options->catalogue)
        return true;
    olv_compose_begin(&p.composing, plan->docket, batch_key_of);
    p.hasher = olv_hasher_new();
    ok = (stored_judge_begin(&p.judge, policy, judging) && p.hasher) || olv_fail_memory(err);
    ok = ok &&
         olv_catalogue_files(judging->options->catalogue, OLV_STORED_BY_ARCHIVE, plan_depots_judge, &p, err);
    if (ok && p.error.code != OLV_OK) {
        *err = p.error;
        ok = false;
    }
    ok = ok && (!plan->docket || olv_compose_end(&p.composing, err));
    olv_compose_abandon(&p.composing);
    stored_judge_end(&p.judge);
    olv_hasher_free(p.hasher);
    return ok;
}
