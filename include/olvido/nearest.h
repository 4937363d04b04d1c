/* SPDX-License-Identifier: Apache-2.0 */
/* The known word that a mistyped one most likely meant. */
#ifndef OLVIDO_NEAREST_H
#define OLVIDO_NEAREST_H

#include <stddef.h>

/* The word of `words` (borrowed, `count` of them) with the fewest edits from `text`, or NULL when none is
 * near: at most two edits and fewer than half of its letters. */
const char *olv_nearest(const char *text, size_t len, const char *const *words, size_t count);

#endif
