/* SPDX-License-Identifier: Apache-2.0 */
#include "base/grow.h"

#include <stdint.h>
#include <stdlib.h>
#include <string.h>

enum { FIRST = 16 };

void *allocate(size_t size, struct olv_error *err)
{
    void *memory = calloc(1, size);
    if (!memory)
        olv_fail_memory(err);
    return memory;
}

/* In bytes; 0: too many. */
static size_t wanted(size_t cap, size_t size)
{
    size_t items = cap ? 2 * cap : FIRST;
    return items > SIZE_MAX / size ? 0 : items * size;
}

bool grow(void *array, size_t count, size_t *cap, size_t size)
{
    size_t bytes = wanted(*cap, size);
    void *items, *grown;
    if (count < *cap)
        return true;
    memcpy(&items, array, sizeof items); /* whatever its type */
    grown = bytes ? realloc(items, bytes) : NULL;
    if (!grown)
        return false;
    memcpy(array, &grown, sizeof grown);
    *cap = bytes / size;
    return true;
}

bool grow_by_one(void *array, size_t count, size_t size)
{
    void *items, *grown;
    memcpy(&items, array, sizeof items);
    grown = realloc(items, (count + 1) * size);
    if (grown)
        memcpy(array, &grown, sizeof grown);
    return grown != NULL; /* cppcheck-suppress memleak; the array owns it */
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
