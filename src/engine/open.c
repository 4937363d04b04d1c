/* SPDX-License-Identifier: Apache-2.0 */
/* Starting a run: whatever could stop it later is tried before anybody is asked. */
#include "engine/run.h"

#include "base/grow.h"
#include "base/notes.h"
#include "depot/catalogue.h"
#include "os/os.h"
#include "seal/notes.h"
#include "source/asking.h"
#include "state/register.h"
#include "state/reserve.h"

#include <errno.h>
#include <stddef.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

bool run_make_id(struct olv_run *run, struct olv_error *err)
{
    static const char letters[] =
        "abcdefghjkmnpqrstuvwxyz23456789x"; /* 32 letters and digits, no two alike */
    uint8_t random[4];
    struct olv_date d = olv_date_from_seconds(run->turn.run.now.s);
    if (!olv_random(random, sizeof random))
        return olv_fail(err, OLV_STATE, "cannot give the run an id: the system gives no random bytes");
    snprintf(run->id, sizeof run->id, "%04d%02d%02d-%02d%02d-%c%c%c%c", (int)(d.year % 10000), d.month % 100,
             d.day % 100, d.hour % 100, d.minute % 100, letters[random[0] % 32], letters[random[1] % 32],
             letters[random[2] % 32], letters[random[3] % 32]);
    return true;
}

void run_segment_name(char out[32], uint64_t batch)
{
    snprintf(out, 32, "%06llu.docket", (unsigned long long)batch);
}

bool run_write(struct olv_run *run, struct olv_error *err)
{
    while (!olv_ledger_write(run->ledger, err))
        if (!reserve_use(run->state.dir, err))
            return false;
    return true;
}

bool run_sync(struct olv_run *run, struct olv_error *err)
{
    olv_ledger_collect(run->ledger);
    return run_write(run, err);
}

bool run_checkpoint(struct olv_run *run, struct olv_error *err)
{
    while (!olv_ledger_checkpoint(run->ledger, err))
        if (!reserve_use(run->state.dir, err))
            return false;
    return true;
}

/* For databases: see struct database. */
static bool more_room(void *self, struct olv_error *err)
{
    const struct olv_run *run = self;
    return reserve_use(run->state.dir, err);
}

/* ---- for hooks ---- */

void run_take_turn(struct olv_run *run, const struct olv_docket_entry *e)
{
    const struct hooks *hooks = hooks_of(e);
    size_t i = 0;
    while (i < run->kept_count && run->kept[i].hooks != hooks)
        i++;
    if (i == run->kept_count)
        run->kept[run->kept_count++] = (struct kept){.hooks = hooks, .act = e->act};
    run->turn.own.hooks = hooks;
    run->turn.own.state = &run->kept[i].state;
}

void run_close_states(struct olv_run *run)
{
    for (size_t i = 0; i < run->kept_count; i++)
        if (run->kept[i].hooks->free_state)
            run->kept[i].hooks->free_state(run->kept[i].state);
    run->kept_count = 0;
}

const char *run_path_of(struct olv_run *run, const struct olv_docket_entry *e)
{
    struct olv_text *path = &run->turn.scratch.path;
    olv_text_clear(path);
    olv_docket_entry_shown(e, path);
    return olv_text_string(path);
}

const char *run_trash_place(const struct olv_run *run, const struct hooks *hooks)
{
    const struct olv_trash *trash = hooks->needs & NEEDS_TRASH ? run->turn.trash : NULL;
    return trash && !olv_trash_is_home(trash) ? olv_trash_path(trash) : "";
}

bool run_find_trash(struct olv_run *run, const struct hooks *hooks, const struct olv_docket_entry *entry,
                    struct olv_error *err)
{
    if (!(hooks->needs & NEEDS_TRASH))
        return true;
    run->turn.trash = hooks->find_trash(&run->turn, entry, err);
    if (run->turn.trash)
        run->turn.trash->is_used = true;
    return run->turn.trash != NULL;
}

bool olv_run_prepare(struct olv_run *run, const uint64_t *mounts, size_t count, struct olv_error *err)
{
    bool any = count == 0;
    for (size_t i = 0; i < count; i++)
        any |= olv_trashes_for(run->session->trashes, mounts[i], err) != NULL;
    return any ? true : olv_error_as(err, OLV_STATE);
}

struct olv_instant run_credible_now(const struct olv_run *run)
{
    static const struct olv_instant never;
    return run->clock_doubt ? never : run->turn.run.now;
}

const char *olv_run_clock_doubt(const struct olv_run *run)
{
    return run->clock_doubt;
}

static bool open_ledger(struct olv_run *run, struct olv_error *err)
{
    if (ledger_is_lost(run->state.dir, run->session->options.state, err))
        return false;
    while (!(run->ledger = olv_ledger_open(run->state.dir, err)))
        if (!reserve_use(run->state.dir, err))
            return false;
    return true;
}

/* Before anything is settled, whose lines have the time of now. */
static bool judge_clock(struct olv_run *run, struct olv_error *err)
{
    struct olv_error unknown = {0};
    struct olv_register *reg = run_register(run, DATABASE_THERE, &unknown);
    if (!reg && unknown.sys != ENOENT) {
        *err = unknown;
        return false;
    }
    run->clock_doubt = olv_clock_doubt(reg, run->turn.run.now, olv_ledger_last_time(run->ledger));
    return true;
}

static bool open_notes(struct olv_run *run, struct olv_error *err)
{
    run->session->notes = allocate(sizeof *run->session->notes, err);
    while (run->session->notes && !notes_read(run->state.dir, true, run->session->notes, err))
        if (!reserve_use(run->state.dir, err))
            return false;
    return run->session->notes;
}

static bool run_start(struct olv_run *run, struct olv_error *err)
{
    const struct olv_session_options *options = &run->session->options;
    run->turn.scratch.hasher = olv_hasher_new();
    if (!run->turn.scratch.hasher)
        return olv_fail_memory(err);
    return run_make_id(run, err) && state_open(&run->state, options->state, options->command, err) &&
           open_ledger(run, err) && judge_clock(run, err) && open_notes(run, err) && run_settle(run, err);
}

struct olv_run *run_open(struct olv_session *session, struct olv_error *err)
{
    struct olv_run *run = allocate(sizeof *run, err);
    if (!run)
        return NULL;
    pthread_mutex_init(&run->asking, NULL);
    run->session = session;
    run->state = (struct state){-1, -1, -1};
    run->directory = run->moves.fd = -1;
    run->turn.session = session;
    run->turn.run =
        (struct turn_run){.recorder = run, .id = run->id, .now = olv_os_now(), .changes = &run->changes};
    olv_reach_begin(&run->turn.directory);
    emptying_begin(&run->emptying, run->session->options.policy);
    if (run_start(run, err)) {
        reserve_fill(run->state.dir);
        olv_error_clear(err); /* failed attempts on the way */
        return run;
    }
    if (err->code == OLV_SYSTEM)
        olv_error_as(err, OLV_STATE);
    run_close(run);
    return NULL;
}

const char *olv_run_id(const struct olv_run *run)
{
    return run->id;
}

uint64_t olv_run_settled(const struct olv_run *run)
{
    return run->settled;
}

uint64_t olv_run_settled_unknown(const struct olv_run *run)
{
    return run->settled_unknown;
}

void run_close(struct olv_run *run)
{
    if (!run)
        return;
    run_close_states(run);
    olv_reach_end(&run->turn.directory);
    olv_text_free(&run->turn.scratch.path);
    olv_text_free(&run->turn.scratch.placed);
    olv_hasher_free(run->turn.scratch.hasher);
    asking_end(&run->turn);
    pthread_mutex_destroy(&run->asking);
    changes_free(&run->changes);
    emptying_end(&run->emptying);
    for (size_t i = 0; i < run->beside_count; i++)
        free((char *)(uintptr_t)run->beside[i].path);
    free(run->beside);
    olv_ledger_close(run->ledger);
    olv_os_close(run->directory);
    olv_os_close(run->moves.fd);
    olv_text_free(&run->settled_moves);
    state_close(&run->state);
    free(run);
}

/* A run that remembers anything notes the clock, too: by that the next one knows whether its own is right. */
static bool note_clock(struct olv_run *run, struct olv_error *err)
{
    if (run->has_noted_clock || run->clock_doubt)
        return true;
    run->has_noted_clock = clock_note(run->session->reg, run->turn.run.now, err);
    return run->has_noted_clock;
}

struct olv_register *run_register(struct olv_run *run, enum database_use use, struct olv_error *err)
{
    struct olv_session *s = run->session;
    while (!s->reg && !(s->reg = register_open(s->options.state, use, err)))
        if (!reserve_use(run->state.dir, err))
            return NULL;
    register_on_full(s->reg, more_room, run);
    return use != DATABASE_MAKE || note_clock(run, err) ? s->reg : NULL;
}

struct olv_catalogue *run_catalogue(struct olv_run *run, enum database_use use, struct olv_error *err)
{
    struct olv_session *s = run->session;
    while (!s->catalogue && !(s->catalogue = catalogue_open(s->options.state, use, err)))
        if (!reserve_use(run->state.dir, err))
            return NULL;
    catalogue_on_full(s->catalogue, more_room, run);
    return s->catalogue;
}
