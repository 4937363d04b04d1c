/* SPDX-License-Identifier: Apache-2.0 */
#include "source/records.h"

#include "base/grow.h"
#include "engine/run.h"
#include "state/register.h"
#include "state/reserve.h"

#include <string.h>

struct olv_catalogue *record_catalogue(const struct turn *turn, struct olv_error *err)
{
    return run_catalogue(turn->run.recorder, DATABASE_MAKE, err);
}

bool record_archive(const struct turn *turn, const struct archive_made *made, struct olv_error *err)
{
    struct olv_run *run = turn->run.recorder;
    struct archive_made *a;
    if (!grow(&run->beside, run->beside_count, &run->beside_cap, sizeof *run->beside))
        return olv_fail_memory(err);
    a = &run->beside[run->beside_count];
    *a = *made;
    a->path = strdup(made->path);
    run->beside_count += a->path != NULL;
    return a->path || olv_fail_memory(err);
}

bool record_move(const struct turn *turn, const struct announced_move *move, struct olv_error *err)
{
    struct olv_run *run = turn->run.recorder;
    while (!moves_announce(&run->moves, run->directory, turn->sequence, move, err))
        if (!reserve_use(run->state.dir, err))
            return false;
    return true;
}

enum olv_truth recorded_move(const struct turn *turn, struct announced_move *move)
{
    return moves_find(&turn->run.recorder->settled_moves, turn->sequence, move);
}

bool record_name(const struct turn *turn, uint64_t entry, const char *path, const struct olv_stat *stat,
                 bool is_spared, struct olv_error *err)
{
    struct olv_register *reg = run_register(turn->run.recorder, DATABASE_MAKE, err);
    return reg && given_note(reg, entry, path, stat, is_spared, err);
}

bool record_names(const struct turn *turn, struct olv_error *err)
{
    struct olv_register *reg = turn->session->reg;
    return !reg || register_store(reg, turn->run.id, turn->run.now, err);
}

enum olv_truth recorded_name(const struct turn *turn, uint64_t entry, const char *path, struct given *out,
                             struct olv_error *err)
{
    struct olv_register *reg = turn->session->reg;
    return reg ? given_find(reg, turn->run.id, entry, path, out, err) : OLV_NO;
}

bool record_protection(const struct turn *turn, const struct olv_protected *row, struct olv_error *err)
{
    struct olv_register *reg = run_register(turn->run.recorder, DATABASE_MAKE, err);
    return reg && protected_note(reg, row, err);
}

bool record_lifted(const struct turn *turn, const struct olv_protected *row, struct olv_error *err)
{
    struct olv_register *reg = run_register(turn->run.recorder, DATABASE_MAKE, err);
    return reg && protected_forget(reg, row, err);
}

enum olv_truth recorded_protection(const struct turn *turn, const struct olv_protected *file,
                                   void (*each)(void *self, const struct olv_protected *row), void *self,
                                   struct olv_error *err)
{
    struct olv_run *run = turn->run.recorder;
    struct olv_register *reg = turn->session->reg;
    enum olv_truth found;
    if (!reg)
        return OLV_NO;
    pthread_mutex_lock(&run->asking);
    found = olv_register_protection(reg, file, each, self, err);
    pthread_mutex_unlock(&run->asking);
    return found;
}

enum olv_truth recorded_mark(const struct turn *turn, const struct olv_stat *stat, bool *is_ours,
                             struct olv_error *err)
{
    struct olv_run *run = turn->run.recorder;
    struct olv_register *reg = turn->session->reg;
    enum olv_truth found;
    if (!reg)
        return OLV_NO;
    pthread_mutex_lock(&run->asking);
    found = marked_find(reg, stat, is_ours, err);
    pthread_mutex_unlock(&run->asking);
    return found;
}

enum olv_truth recorded_respite(const struct turn *turn, const struct olv_stat *stat)
{
    struct olv_run *run = turn->run.recorder;
    struct olv_register *reg = turn->session->reg;
    enum olv_truth is_spared;
    if (!reg)
        return OLV_NO;
    pthread_mutex_lock(&run->asking); /* a register is for one thread at a time */
    is_spared = given_is_spared(reg, stat, run_credible_now(run));
    pthread_mutex_unlock(&run->asking);
    return is_spared;
}
