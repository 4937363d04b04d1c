/* SPDX-License-Identifier: Apache-2.0 */
/* Blocks of at least 16 KiB; the newest one serves requests. */
#include "base/arena.h"

#include <stdalign.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>

enum { BLOCK_SIZE = 16384 };

struct olv_arena_block {
    struct olv_arena_block *next;
    size_t used, size;
    alignas(max_align_t) unsigned char bytes[];
};

static struct olv_arena_block *block_with_room(struct olv_arena *arena, size_t size)
{
    struct olv_arena_block *block = arena->blocks;
    size_t want = size > BLOCK_SIZE ? size : BLOCK_SIZE;
    if (block && block->size - block->used >= size)
        return block;
    block = malloc(sizeof *block + want);
    if (!block)
        return NULL;
    *block = (struct olv_arena_block){.next = arena->blocks, .size = want};
    arena->blocks = block;
    return block;
}

void *olv_arena_alloc(struct olv_arena *arena, size_t size)
{
    size_t align = alignof(max_align_t);
    struct olv_arena_block *block;
    void *memory;
    if (size > SIZE_MAX / 2)
        return NULL;
    size = (size + align - 1) / align * align;
    block = block_with_room(arena, size);
    if (!block)
        return NULL;
    memory = block->bytes + block->used;
    block->used += size;
    return memset(memory, 0, size);
}

char *olv_arena_copy(struct olv_arena *arena, const void *bytes, size_t len)
{
    char *copy = olv_arena_alloc(arena, len + 1);
    if (copy && len)
        memcpy(copy, bytes, len);
    return copy;
}

void olv_arena_free(struct olv_arena *arena)
{
    while (arena->blocks) {
        struct olv_arena_block *next = arena->blocks->next;
        free(arena->blocks);
        arena->blocks = next;
    }
}
