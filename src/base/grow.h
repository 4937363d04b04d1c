/* SPDX-License-Identifier: Apache-2.0 */
/* Memory: one thing, and arrays that grow. */
#ifndef OLV_BASE_GROW_H
#define OLV_BASE_GROW_H

#include "base/arena.h"
#include "olvido/error.h"

#include <stdbool.h>
#include <stddef.h>

/* Zeroed, and freed by free(). NULL with OLV_MEMORY. */
void *allocate(size_t size, struct olv_error *err);
/* Makes room for one more than `count` items of `size` bytes. `array` is the address of the pointer to them,
 * `*cap` how many fit. False without memory, and then all is as it was. */
bool grow(void *array, size_t count, size_t *cap, size_t size);
/* The same of an array that has room for `count` and no more. */
bool grow_by_one(void *array, size_t count, size_t size);
/* The same as grow in an arena, where what was outgrown stays. */
bool grow_in(struct olv_arena *arena, void *array, size_t count, size_t *cap, size_t size);

#endif
