/* SPDX-License-Identifier: Apache-2.0 */
/* An arena frees together what belongs together (one per policy, one per docket segment). */
#ifndef OLV_BASE_ARENA_H
#define OLV_BASE_ARENA_H

#include <stddef.h>

struct olv_arena {
    struct olv_arena_block *blocks; /* newest first; owned */
};

/* Zeroed memory aligned for any type, or NULL. Valid until the arena is freed. */
void *olv_arena_alloc(struct olv_arena *arena, size_t size);
/* A NUL-terminated copy, or NULL. */
char *olv_arena_copy(struct olv_arena *arena, const void *bytes, size_t len);
void olv_arena_free(struct olv_arena *arena);

#endif
