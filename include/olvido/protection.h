/* SPDX-License-Identifier: Apache-2.0 */
/* Levels of protection in words, and what a file shows of them. */
#ifndef OLVIDO_PROTECTION_H
#define OLVIDO_PROTECTION_H

#include "olvido/entry.h"
#include "olvido/protected.h"

/* "readonly", "append-only", "frozen". */
const char *olv_protection_word(enum olv_protection level);
/* "frozen and read-only"; "" for none. Valid for ever. */
const char *olv_protection_words(unsigned levels);
/* The levels that a file shows, whoever set them. */
unsigned olv_protection_of(const struct olv_stat *stat);

/* What the register knows a file by: `dir` is a descriptor on its file system. Borrows the path. */
struct olv_protected olv_protected_of(const char *path, const struct olv_stat *stat, int dir);

#endif
