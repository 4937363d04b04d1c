/* SPDX-License-Identifier: Apache-2.0 */
#include "base/grow.h"

#include <stdint.h>
#include <stdlib.h>

void *grow(void *items, size_t count, size_t *cap, size_t size)
{
    enum { FIRST = 16 };
    size_t wanted = *cap ? 2 * *cap : FIRST;
    void *grown;
    if (count < *cap)
        return items;
    grown = wanted > SIZE_MAX / size ? NULL : realloc(items, wanted * size);
    if (grown)
        *cap = wanted;
    return grown;
}
