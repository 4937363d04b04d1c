/* SPDX-License-Identifier: Apache-2.0 */
/* Arrays that grow. */
#ifndef OLV_BASE_GROW_H
#define OLV_BASE_GROW_H

#include <stddef.h>

/* Room for one more than `count` items of `size` bytes: the array, which may have moved; NULL when memory ran
 * out, and all is as it was. `*cap` is how many fit. */
void *grow(void *items, size_t count, size_t *cap, size_t size);

#endif
