/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/batch.h"

#include "engine/group.h"
#include "engine/outcomes.h"
#include "olvido/docket.h"
#include "os/os.h"
#include "source/records.h"
#include "state/register.h"

#include <stdlib.h>

enum { TELL_EVERY = 64 };

bool carrying_is_interrupted(struct carrying *c)
{
    c->result->is_interrupted |= olv_observe_interrupted(c->run->session->options.observer);
    return c->result->is_interrupted;
}

bool batch_goes(struct batch *batch, enum batch_state from, enum batch_state to, struct olv_error *err)
{
    if (batch->state != from)
        return olv_fail(err, OLV_SYSTEM, "a batch was in state %d, not %d, before it was to be in %d",
                        (int)batch->state, (int)from, (int)to);
    batch->state = to;
    return true;
}

static void tell_progress(const struct carrying *c, const struct olv_act *act)
{
    const struct olv_run_result *r = c->result;
    olv_observe_progress(
        c->run->session->options.observer,
        (struct olv_progress){.doing = act->word,
                              .bytes = r->done_bytes,
                              .files = r->done + r->told + r->left + r->refused + r->failed});
}

/* Notes the trashes that items entered or left. */
static bool note_trashes(struct carrying *c, struct olv_error *err)
{
    struct olv_trashes *trashes = c->run->session->trashes;
    bool ok = true;
    for (size_t i = 0; ok && i < olv_trashes_count(trashes); i++) {
        struct olv_trash *trash = olv_trashes_at(trashes, i);
        const struct olv_stat *files = &trash->files_stat;
        struct olv_stat info;
        if (!trash->is_used)
            continue;
        if (olv_trash_take_new(trash))
            ok = touched_add_system(&c->touched, trash->info, files->device, err);
        else if (olv_os_stat(trash->info, "", &info))
            ok = touched_add(&c->touched, trash->info, &info, err) &&
                 touched_add(&c->touched, trash->files, files, err);
        else
            ok = olv_fail_system(err, trash->files_path, "cannot look at the trash");
    }
    return ok;
}

static bool finish_acts(struct carrying *c, bool uses_trash, struct olv_error *err)
{
    if (register_has_notes(c->run->session->reg) && !touched_sync(&c->touched, err))
        return false; /* what is remembered is on disk before that */
    outcomes_remember(c->run);
    return !uses_trash || (olv_trashes_store(c->run->session->trashes, err) && note_trashes(c, err));
}

/* Opens what the acts of the batch need besides their files, and records in the register which files will get
 * names. */
static bool batch_announce(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct carrying *c = self;
    struct olv_run *run = c->run;
    const struct hooks *hooks = hooks_of(e);
    struct olv_error ignored = {0}; /* the act says what that means */
    run->turn.sequence++;
    if (hooks->needs & NEEDS_REGISTER && !run_register(run, DATABASE_MAKE, err))
        return false;
    if (hooks->needs & NEEDS_CATALOGUE && !run->session->catalogue)
        run_catalogue(run, DATABASE_MAKE, &ignored);
    return emptying_announce(run, e, err) && (!hooks->announce || hooks->announce(&run->turn, e, err));
}

static bool page_prepare(struct carrying *c, const struct olv_text *page, struct olv_error *err)
{
    struct olv_run *run = c->run;
    uint64_t sequence = run->turn.sequence;
    bool ok = olv_page_each(page, batch_announce, c, err);
    run->turn.sequence = sequence;
    return ok && record_names(&run->turn, err);
}

static bool page_apply(struct carrying *c, struct olv_page_reader *reader, bool *uses_trash,
                       struct olv_error *err)
{
    struct several *g = calloc(1, sizeof *g);
    struct olv_docket_entry e;
    bool ok = g || olv_fail_memory(err);
    while (ok && olv_page_next(reader, &e, err)) {
        *uses_trash |= hooks_of(&e)->needs & NEEDS_TRASH;
        if (!group_takes(g, &e))
            ok = group_do(c, g, err);
        group_add(g, &e);
        if (e.number % TELL_EVERY == 0)
            tell_progress(c, e.act);
    }
    ok = ok && err->code == OLV_OK && group_do(c, g, err);
    free(g);
    return ok;
}

static bool page_do(struct carrying *c, const struct olv_text *page, struct olv_error *err)
{
    struct olv_run *run = c->run;
    struct olv_page_reader *reader = olv_page_open(page, err);
    bool uses_trash = false, ok;
    if (!reader)
        return false;
    run->turn.run.salt = olv_page_salt(reader);
    ahead_begin(c->ahead, page, run->turn.sequence, run->turn.run.is_small);
    ok = page_prepare(c, page, err) && page_apply(c, reader, &uses_trash, err);
    ahead_end(c->ahead);
    emptying_leave(run);
    stage_leave(&run->turn.ending.stage, run->session->options.observer);
    ok = ok && finish_acts(c, uses_trash, err);
    olv_page_close(reader);
    return ok;
}

/* What a page touched, and then its outcomes, become durable while the next one is done. */
static bool page_record(struct carrying *c, struct olv_error *err)
{
    if (!commits_wait(c->commits, err))
        return false;
    recorder_collect(c->recorder, NULL);
    commits_begin(c->commits, &c->touched, NULL, 0);
    return true;
}

bool batch_do(struct carrying *c, struct batch *batch, struct olv_error *err)
{
    struct olv_text page = {0};
    uint64_t at = batch->segment.at;
    bool ok = batch_goes(batch, BATCH_INTENDED, BATCH_APPLIED, err);
    c->batch++;
    c->run->turn.run.touched = &c->touched;
    c->run->turn.run.is_small = touched_is_few(batch->entries);
    while (ok && at < batch->segment.until) {
        c->page_at = at;
        ok = olv_spool_read(c->docket, &at, &page, err) && page_do(c, &page, err) &&
             (at == batch->segment.until || page_record(c, err));
    }
    olv_text_free(&page);
    return ok;
}
