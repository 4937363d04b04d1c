/* SPDX-License-Identifier: Apache-2.0 */
/* Known words: all of them for a message, and the one that a mistyped word probably meant. */
#ifndef OLVIDO_NEAREST_H
#define OLVIDO_NEAREST_H

#include <stddef.h>

/* The one of `count` `words` (borrowed) with the fewest edits from `text`; NULL if none is near: at most two
 * edits, and fewer than half of its letters. */
const char *olv_nearest(const char *text, size_t len, const char *const *words, size_t count);
/* "a, b or c", as far as it fits. */
void olv_list_words(const char *const *words, size_t count, char *out, size_t size);

#endif
