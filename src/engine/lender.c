/* SPDX-License-Identifier: Apache-2.0 */

#include "base/grow.h"
#include "engine/run.h"
#include "state/register.h"
#include "state/reserve.h"

#include <stddef.h>
#include <stdint.h>
#include <string.h>

static struct olv_run *run_of(const struct lender *lender)
{
    return (struct olv_run *)(uintptr_t)((const char *)lender - offsetof(struct olv_run, lender));
}

static struct olv_catalogue *catalogue(const struct lender *lender, struct olv_error *err)
{
    return run_catalogue(run_of(lender), DATABASE_MAKE, err);
}

static bool archive_made(const struct lender *lender, const struct archive_made *made, struct olv_error *err)
{
    struct olv_run *run = run_of(lender);
    struct archive_made *a;
    if (!grow(&run->beside, run->beside_count, &run->beside_cap, sizeof *run->beside))
        return olv_fail_memory(err);
    a = &run->beside[run->beside_count];
    *a = *made;
    a->path = strdup(made->path);
    run->beside_count += a->path != NULL;
    return a->path || olv_fail_memory(err);
}

static bool announce_move(const struct lender *lender, uint64_t entry, const struct announced_move *move,
                          struct olv_error *err)
{
    struct olv_run *run = run_of(lender);
    while (!moves_announce(&run->moves, run->directory, entry, move, err))
        if (!reserve_use(run->state.dir, err))
            return false;
    return true;
}

static enum olv_truth find_move(const struct lender *lender, uint64_t entry, struct announced_move *move)
{
    return moves_find(&run_of(lender)->settled_moves, entry, move);
}

static bool lender_note_name(const struct lender *lender, uint64_t entry, const char *path,
                             const struct olv_stat *stat, bool is_spared, struct olv_error *err)
{
    struct olv_register *reg = run_register(run_of(lender), DATABASE_MAKE, err);
    return reg && given_note(reg, entry, path, stat, is_spared, err);
}

static bool store_names(const struct lender *lender, struct olv_error *err)
{
    const struct olv_run *run = run_of(lender);
    return !run->reg || register_store(run->reg, run->lent.run, run->lent.now, err);
}

static enum olv_truth find_name(const struct lender *lender, uint64_t entry, const char *path,
                                struct given *out, struct olv_error *err)
{
    const struct olv_run *run = run_of(lender);
    return run->reg ? given_find(run->reg, run->lent.run, entry, path, out, err) : OLV_NO;
}

static enum olv_truth is_spared(const struct lender *lender, const struct olv_stat *stat)
{
    const struct olv_run *run = run_of(lender);
    return run->reg ? given_is_spared(run->reg, stat, run_credible_now(run)) : OLV_NO;
}

static bool note_had(const struct lender *lender, const struct olv_had *had, struct olv_error *err)
{
    struct olv_register *reg = run_register(run_of(lender), DATABASE_MAKE, err);
    return reg && had_note(reg, had, err);
}

static enum olv_truth find_had(const struct lender *lender, struct olv_had *had, char was_name[NAME_MAX + 1],
                               uint64_t *was_bytes, struct olv_error *err)
{
    const struct olv_run *run = run_of(lender);
    return run->reg ? olv_register_find_had(run->reg, had, was_name, was_bytes, err) : OLV_NO;
}

const struct lender lender_functions = {.catalogue = catalogue,
                                        .archive_made = archive_made,
                                        .announce_move = announce_move,
                                        .find_move = find_move,
                                        .note_name = lender_note_name,
                                        .store_names = store_names,
                                        .find_name = find_name,
                                        .is_spared = is_spared,
                                        .note_had = note_had,
                                        .find_had = find_had};
