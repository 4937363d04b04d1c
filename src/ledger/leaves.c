/* SPDX-License-Identifier: Apache-2.0 */
#include "ledger/leaves.h"

#include <stdlib.h>
#include <string.h>

static bool each_of_volume(int dir, uint64_t first, uint64_t *number, uint64_t count,
                           struct olv_hasher *hasher,
                           bool (*each)(void *, const uint8_t *, struct olv_error *), void *self,
                           struct olv_error *err)
{
    char name[LEDGER_NAME_SIZE], *line;
    uint8_t leaf[OLV_SHA256_SIZE];
    struct line_reader r;
    bool is_torn = false, ok = true;
    size_t len;
    ledger_volume_name(first, name);
    if (first != *number)
        return olv_fail(err, OLV_BROKEN, "lines of the ledger are gone before line %llu",
                        (unsigned long long)first);
    if (!line_reader_open(&r, dir, name, err))
        return false;
    while (ok && *number < count && (line = line_reader_next(&r, &len, &is_torn, err)) && !is_torn) {
        line_leaf(hasher, line, line_split(line, len), leaf);
        ok = each(self, leaf, err);
        ++*number;
    }
    line_reader_close(&r);
    return ok && err->code == OLV_OK;
}

bool leaves_each(int dir, uint64_t count, struct olv_hasher *hasher,
                 bool (*each)(void *self, const uint8_t leaf[OLV_SHA256_SIZE], struct olv_error *err),
                 void *self, struct olv_error *err)
{
    uint64_t *firsts, number = 0;
    size_t volumes;
    bool ok = ledger_volumes(dir, &firsts, &volumes, err);
    for (size_t i = 0; ok && i < volumes && number < count; i++)
        ok = each_of_volume(dir, firsts[i], &number, count, hasher, each, self, err);
    free(firsts);
    return ok && (number == count ||
                  olv_fail(err, OLV_BROKEN, "the ledger has %llu lines, but its checkpoint covers %llu",
                           (unsigned long long)number, (unsigned long long)count));
}

/* ---- storing them anew ---- */

struct restoring {
    int dir;
    struct tree *tree;
};

/* Limits what waits to be written to some megabytes. */
static bool leaves_add(void *self, const uint8_t leaf[OLV_SHA256_SIZE], struct olv_error *err)
{
    enum { STORED_AT_ONCE = 1 << 17 };
    struct restoring *r = self;
    tree_add(r->tree, leaf);
    return !r->tree->keeps || r->tree->size % STORED_AT_ONCE != 0 || tree_store(r->tree, r->dir, err);
}

static bool leaves_read_all(struct restoring *r, const struct checkpoint *checkpoint, bool keeps,
                            struct olv_error *err)
{
    struct olv_hasher *hasher = r->tree->hasher;
    struct many_hasher *many = r->tree->many;
    tree_end(r->tree);
    tree_begin(r->tree, hasher, keeps);
    r->tree->many = many;
    return leaves_each(r->dir, checkpoint->size, hasher, leaves_add, r, err);
}

bool leaves_restore(int dir, const struct checkpoint *checkpoint, struct tree *tree, struct olv_error *err)
{
    struct restoring r = {dir, tree};
    uint8_t root[OLV_SHA256_SIZE];
    if (!leaves_read_all(&r, checkpoint, false, err))
        return false;
    tree_root(tree, root);
    if (memcmp(root, checkpoint->root, sizeof root) != 0)
        return olv_fail(err, OLV_BROKEN, "the ledger's lines are not those that its checkpoint signs");
    return leaves_read_all(&r, checkpoint, true, err) && tree_store(tree, dir, err);
}
