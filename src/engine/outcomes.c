/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/outcomes.h"

#include "keys/keys.h"

#include "state/register.h"

#include <string.h>

/* ---- acts that a file outlives ---- */

static void remember_tell(struct olv_run *run, const struct olv_error *err)
{
    olv_observe_trouble(run->session->options.observer,
                        (struct olv_trouble){OLV_TROUBLE_FAILED, "", err->what, err->sys});
}

static struct olv_had had_before(const char *path, const struct olv_docket_entry *e)
{
    const struct olv_identity *i = &e->identity;
    return (struct olv_had){.path = path,
                            .inode = i->inode,
                            .has_born = i->has_born,
                            .born = i->born,
                            .size_bytes = i->size_bytes,
                            .modified = i->modified};
}

/* By hand, what gains nothing in one way may be tried in another. */
static bool is_to_be_remembered(const struct olv_docket_entry *e, const struct olv_outcome *o)
{
    bool stays = e->act->traits & OLV_OUTLIVED && e->act->destination == OLV_STAYS;
    return stays && (o->result == OLV_DONE || (o->error.code == OLV_NO_GAIN && e->rule != OLV_BY_HAND));
}

/* Of a file that says itself what it has had only what it had before goes along, if anything is known. */
static bool note_had(struct olv_run *run, const struct olv_docket_entry *e, const struct olv_outcome *o,
                     struct olv_had *had, struct olv_error *err)
{
    struct olv_register *reg = run->session->reg;
    if (o->is_noted && (!had->former || !reg || had_any(reg, err) != OLV_YES))
        return err->code == OLV_OK;
    if (o->is_noted)
        had->act = NULL;
    else if (!keys_digest(e->act, e->arguments, had->arguments))
        return olv_fail_memory(err);
    reg = run_register(run, DATABASE_MAKE, err);
    return reg && had_note(reg, had, err);
}

/* What a later step asks about. */
static void note_for_later(struct olv_run *run, const struct olv_docket_entry *e, const struct olv_outcome *o)
{
    bool is_another = o->into && !(e->act->traits & OLV_SOURCE_STAYS);
    struct olv_text path = {0};
    struct olv_error err = {0};
    struct olv_had former, had;
    if (!is_to_be_remembered(e, o))
        return;
    olv_docket_entry_path(e, &path);
    former = had = had_before(olv_text_string(&path), e);
    if (o->after)
        had = olv_had_of(had.path, o->after, NULL);
    if (is_another) {
        had.path = o->into;
        had.former = &former;
    }
    had.act = e->act;
    had.before_len = o->before_len;
    memcpy(had.before, o->before, o->before_len);
    if (path.failed)
        olv_fail_memory(&err);
    if (err.code != OLV_OK || !note_had(run, e, o, &had, &err))
        remember_tell(run, &err);
    olv_text_free(&path);
}

/* Its age goes on counting. */
static void note_mark(struct olv_run *run, const struct olv_docket_entry *e, const struct olv_outcome *o)
{
    const struct olv_stat now = {.inode = o->mark.inode,
                                 .has_born = o->mark.has_born,
                                 .born = o->mark.born,
                                 .changed = o->mark.changed};
    struct olv_error err = {0};
    struct olv_register *reg = run_register(run, DATABASE_MAKE, &err);
    if (!reg || !marked_note(reg, run_path_of(run, e), &now, e->identity.changed, &err))
        remember_tell(run, &err);
}

void outcomes_note(struct olv_run *run, const struct olv_docket_entry *e, const struct olv_outcome *o)
{
    const struct hooks *hooks = hooks_of(e);
    if (hooks && hooks->recorded)
        hooks->recorded(&run->turn, e, o);
    if (o->mark.is_made && o->result == OLV_DONE &&
        olv_instant_compare(o->mark.changed, e->identity.changed) != 0)
        note_mark(run, e, o);
    note_for_later(run, e, o);
}

void outcomes_remember(struct olv_run *run)
{
    struct olv_error err = {0};
    if (run->session->reg && !register_store(run->session->reg, run->turn.run.id, run->turn.run.now, &err))
        remember_tell(run, &err);
}

/* ---- */

static void record(struct carrying *c, const struct olv_docket_entry *e, const struct olv_outcome *o)
{
    struct olv_run *run = c->run;
    const struct olv_observer *observer = run->session->options.observer;
    const char *path = o->placed ? o->placed : run_path_of(run, e), *into = o->into ? o->into : "";
    const char *result = outcome_word(e->act, o->result);
    char reason[512];
    outcome_reason(o, reason, sizeof reason);
    recorder_add(c->recorder, &(struct olv_outcome_facts){
                                  .run = run->id,
                                  .batch = c->batch,
                                  .entry = e,
                                  .result = result,
                                  .reason = reason,
                                  .trash = source_of(e)->is_item ? e->name : o->trash,
                                  .trash_place = run_trash_place(run, hooks_of(e)),
                                  .path = path,
                                  .into = into,
                                  .digest = o->digest,
                                  .has_packed = o->has_packed,
                                  .packed_bytes = o->packed_bytes,
                              });
    if (observer && observer->outcome)
        observer->outcome(observer->self,
                          &(struct olv_result_facts){.path = path,
                                                     .into = into,
                                                     .result = result,
                                                     .reason = reason,
                                                     .size_bytes = olv_docket_entry_size(e),
                                                     .files = olv_docket_entry_files(e),
                                                     .is_directory = e->identity.kind == OLV_KIND_DIRECTORY,
                                                     .has_packed = o->has_packed,
                                                     .packed_bytes = o->packed_bytes,
                                                     .seconds = o->seconds});
    outcomes_note(run, e, o);
    if (o->result == OLV_FAILED || o->result == OLV_DENIED)
        olv_observe_trouble(observer,
                            (struct olv_trouble){OLV_TROUBLE_FAILED, path, o->error.what, o->error.sys});
}

static void count_done(struct olv_run_result *r, const struct olv_docket_entry *e,
                       const struct olv_outcome *o)
{
    struct olv_done *by_act = &r->by_act[e->act->wire];
    if (!(e->act->traits & OLV_TOUCHES)) {
        r->told += olv_undone_files(olv_docket_entry_files(e));
        return;
    }
    r->done += olv_docket_entry_files(e);
    r->done_bytes += olv_docket_entry_size(e);
    r->done_directories += e->identity.kind == OLV_KIND_DIRECTORY;
    by_act->files += olv_docket_entry_files(e);
    by_act->directories += e->identity.kind == OLV_KIND_DIRECTORY;
    by_act->bytes += olv_docket_entry_size(e);
    by_act->packed_bytes += o->packed_bytes;
}

/* How many were left for which reason. */
static void count_reason(struct olv_run_result *r, const struct olv_outcome *o, uint64_t files)
{
    char what[sizeof r->reasons->what];
    size_t i = 0;
    outcome_reason(o, what, sizeof what);
    while (i < r->reason_count && strcmp(r->reasons[i].what, what) != 0)
        i++;
    if (i == OLV_REASONS_KEPT) {
        i--;
    } else if (i == r->reason_count) {
        bool is_last = i + 1 == OLV_REASONS_KEPT;
        snprintf(r->reasons[i].what, sizeof r->reasons->what, "%s", is_last ? "other reasons" : what);
        r->reasons[i].files = 0;
        r->reason_count++;
    }
    r->reasons[i].files += files;
}

static void outcomes_count(struct olv_run_result *r, const struct olv_docket_entry *e,
                           const struct olv_outcome *o)
{
    switch (o->result) {
    case OLV_DONE:
        count_done(r, e, o);
        break;
    case OLV_LEFT:
        r->is_interrupted |= o->error.code == OLV_INTERRUPTED;
        r->left += olv_undone_files(olv_docket_entry_files(e));
        if (o->error.code == OLV_NO_GAIN)
            r->without_gain += olv_undone_files(olv_docket_entry_files(e));
        count_reason(r, o, olv_undone_files(olv_docket_entry_files(e)));
        break;
    case OLV_DENIED:
        r->refused += olv_undone_files(olv_docket_entry_files(e));
        break;
    default:
        r->is_interrupted |= o->error.code == OLV_INTERRUPTED;
        r->failed += olv_undone_files(olv_docket_entry_files(e));
        break;
    }
}

void outcomes_add(struct carrying *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    if (o->result == OLV_PENDING) {
        if (o->error.code == OLV_OK)
            olv_fail(&o->error, OLV_SYSTEM, "the act did not say what became of it");
        o->result = OLV_FAILED;
    }
    record(c, e, o);
    outcomes_count(c->result, e, o);
}

void outcomes_failed_late(struct carrying *c, const struct olv_act *act, const char *path,
                          const struct olv_error *why)
{
    c->result->done--;
    c->result->by_act[act->wire].files--;
    c->result->failed++;
    olv_observe_trouble(c->run->session->options.observer,
                        (struct olv_trouble){OLV_TROUBLE_FAILED, path, why->what, why->sys});
}
