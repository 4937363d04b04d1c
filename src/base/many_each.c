/* SPDX-License-Identifier: Apache-2.0 */
/* One after the other: works on every machine. */
#include "base/many.h"

#include <stdlib.h>

struct many_hasher {
    struct olv_hasher *hasher;
};

struct many_hasher *many_hasher_new(void)
{
    struct many_hasher *m = calloc(1, sizeof *m);
    if (m && (m->hasher = olv_hasher_new()))
        return m;
    free(m);
    return NULL;
}

void many_hasher_free(struct many_hasher *m)
{
    if (!m)
        return;
    olv_hasher_free(m->hasher);
    free(m);
}

void many_sha256(struct many_hasher *m, const struct many_piece *pieces, size_t count)
{
    for (size_t i = 0; i < count; i++)
        olv_sha256(m->hasher, pieces[i].bytes, pieces[i].len, pieces[i].out);
}
