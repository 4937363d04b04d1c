/* SPDX-License-Identifier: Apache-2.0 */
#include "base/grow.h"

#include <stdint.h>
#include <stdlib.h>
#include <string.h>

enum { FIRST = 16 };

/* In bytes; 0: too many. */
static size_t wanted(size_t cap, size_t size)
{
    size_t items = cap ? 2 * cap : FIRST;
    return items > SIZE_MAX / size ? 0 : items * size;
}

bool grow(void *array, size_t count, size_t *cap, size_t size)
{
    size_t bytes = wanted(*cap, size);
    void *items;
    if (count < *cap)
        return true;
    memcpy(&items, array, sizeof items); /* whatever it points to */
    items = bytes ? realloc(items, bytes) : NULL;
    if (!items)
        return false;
    memcpy(array, &items, sizeof items);
    *cap = bytes / size;
    return true;
}

bool grow_by_one(void *array, size_t count, size_t size)
{
    void *items;
    memcpy(&items, array, sizeof items);
    items = realloc(items, (count + 1) * size);
    if (items)
        memcpy(array, &items, sizeof items);
    return items != NULL;
}

bool grow_in(struct olv_arena *arena, void *array, size_t count, size_t *cap, size_t size)
{
    size_t bytes = wanted(*cap, size);
    void *old, *items;
    if (count < *cap)
        return true;
    items = bytes ? olv_arena_alloc(arena, bytes) : NULL;
    if (!items)
        return false;
    memcpy(&old, array, sizeof old);
    if (count)
        memcpy(items, old, count * size);
    memcpy(array, &items, sizeof items);
    *cap = bytes / size;
    return true;
}
