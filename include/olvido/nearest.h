/* SPDX-License-Identifier: Apache-2.0 */
/* Finds the known word that a mistyped one probably meant. */
#ifndef OLVIDO_NEAREST_H
#define OLVIDO_NEAREST_H

#include <stddef.h>

/* The one of `count` `words` (borrowed) with the fewest edits from `text`; NULL if none is near: at most two
 * edits, and fewer than half of its letters. */
const char *olv_nearest(const char *text, size_t len, const char *const *words, size_t count);

#endif
