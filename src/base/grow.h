/* SPDX-License-Identifier: Apache-2.0 */
/* Allocation: one object, and growing arrays. */
#ifndef OLV_BASE_GROW_H
#define OLV_BASE_GROW_H

#include "base/arena.h"
#include "olvido/error.h"

#include <stdbool.h>
#include <stddef.h>

/* Zeroed; free with free(). NULL with OLV_MEMORY. */
void *allocate(size_t size, struct olv_error *err);
/* Makes room for one more than `count` items of `size` bytes. `array` is the address of the pointer to them,
 * `*cap` the capacity. False without memory; then nothing changes. */
bool grow(void *array, size_t count, size_t *cap, size_t size);
/* The same for an array with room for exactly `count`. */
bool grow_by_one(void *array, size_t count, size_t size);
/* Like grow, in an arena, where outgrown memory stays. */
bool grow_in(struct olv_arena *arena, void *array, size_t count, size_t *cap, size_t size);

#endif
