/* SPDX-License-Identifier: Apache-2.0 */
/* The key that proves notes on files, which say what a file was before it was compressed. Anybody who can
 * write a file can write a note, so a note without the key's seal counts for nothing. */
#ifndef OLVIDO_NOTES_H
#define OLVIDO_NOTES_H

#include "olvido/error.h"

/* Without a key no note is believed. */
struct olv_notes;

/* Of a state directory; without a key if there is none yet. NULL with `err`. The caller frees it. */
struct olv_notes *olv_notes_read(const char *state, struct olv_error *err);
void olv_notes_free(struct olv_notes *notes);

#endif
