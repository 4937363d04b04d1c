/* SPDX-License-Identifier: Apache-2.0 */
/* Beginning: whatever could stop a run later is tried before anybody is asked a question. */
#include "run/run.h"

#include "os/os.h"

#include <stdio.h>
#include <stdlib.h>
#include <unistd.h>

static bool make_id(struct olv_run *run)
{
    static const char letters[] = "abcdefghjkmnpqrstuvwxyz23456789x"; /* 32, none that looks like another */
    uint8_t random[4];
    struct olv_date d = olv_date_from_seconds(run->context.now.s);
    if (!olv_random(random, sizeof random))
        return false;
    snprintf(run->id, sizeof run->id, "%04d%02d%02d-%02d%02d-%c%c%c%c", (int)(d.year % 10000), d.month % 100,
             d.day % 100, d.hour % 100, d.minute % 100, letters[random[0] % 32], letters[random[1] % 32],
             letters[random[2] % 32], letters[random[3] % 32]);
    return true;
}

void run_segment_name(char out[32], uint64_t batch)
{
    snprintf(out, 32, "%06llu.docket", (unsigned long long)batch);
}

bool run_open_trash(struct olv_run *run, struct olv_error *err)
{
    if (run->trash)
        return true;
    if (!run->options.trash)
        return olv_fail(err, OLV_STATE, "there is no trash to use");
    run->trash = olv_trash_open(run->options.trash, true, err);
    run->context.trash = run->trash;
    return run->trash != NULL;
}

bool olv_run_prepare(struct olv_run *run, enum olv_act_id act, struct olv_error *err)
{
    const struct olv_act *found = olv_act_find(act);
    return !found || !found->needs_trash || run_open_trash(run, err);
}

struct olv_run *olv_run_open(const struct olv_run_options *options, struct olv_error *err)
{
    struct olv_run *run = calloc(1, sizeof *run);
    if (!run) {
        olv_fail_memory(err);
        return NULL;
    }
    run->options = *options;
    run->state = (struct state){-1, -1, -1};
    run->directory = -1;
    run->context.now = olv_os_now();
    run->context.guard = options->guard;
    run->context.run = run->id;
    olv_reach_begin(&run->context.source);
    run->hasher = olv_hasher_new();
    if (run->hasher && make_id(run) && state_open(&run->state, options->state, options->command, err) &&
        (run->ledger = olv_ledger_open(run->state.dir, err)) && run_settle(run, err))
        return run;
    if (!run->hasher)
        olv_fail_memory(err);
    if (err->code == OLV_SYSTEM)
        olv_error_as(err, OLV_STATE);
    olv_run_close(run);
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

void olv_run_close(struct olv_run *run)
{
    if (!run)
        return;
    for (unsigned i = 0; i < run->touched_count; i++)
        close(run->touched[i]);
    olv_reach_end(&run->context.source);
    olv_text_free(&run->context.path);
    olv_trash_close(run->trash);
    olv_ledger_close(run->ledger);
    olv_hasher_free(run->hasher);
    if (run->directory >= 0)
        close(run->directory);
    state_close(&run->state);
    free(run);
}
