/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/lender.h"

#include "base/grow.h"
#include "engine/run.h"
#include "state/given.h"

#include <stddef.h>
#include <stdint.h>
#include <string.h>

static struct olv_run *run_of(const struct lender *lender)
{
    return (struct olv_run *)(uintptr_t)((const char *)lender - offsetof(struct olv_run, lender));
}

static struct olv_catalogue *catalogue(const struct lender *lender, struct olv_error *err)
{
    return run_catalogue(run_of(lender), err);
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

static bool note_name(const struct lender *lender, uint64_t entry, const char *path,
                      const struct olv_stat *stat, bool is_spared, struct olv_error *err)
{
    struct givens *givens = run_givens(run_of(lender), err);
    return givens && givens_add(givens, entry, path, stat, is_spared, err);
}

static bool store_names(const struct lender *lender, struct olv_error *err)
{
    const struct olv_run *run = run_of(lender);
    return !run->givens || givens_store(run->givens, run->lent.run, run->lent.now, err);
}

static enum olv_truth find_name(const struct lender *lender, uint64_t entry, const char *path,
                                struct given *out, struct olv_error *err)
{
    const struct olv_run *run = run_of(lender);
    if (!run->givens)
        return OLV_NO;
    return path ? givens_find_path(run->givens, run->lent.run, path, out, err)
                : givens_find(run->givens, run->lent.run, entry, out, err);
}

static enum olv_truth is_spared(const struct lender *lender, const struct olv_stat *stat)
{
    const struct olv_run *run = run_of(lender);
    return run->givens ? givens_spare(run->givens, stat, run->lent.now) : OLV_NO;
}

const struct lender lender_functions = {.catalogue = catalogue,
                                        .archive_made = archive_made,
                                        .note_name = note_name,
                                        .store_names = store_names,
                                        .find_name = find_name,
                                        .is_spared = is_spared};
