/* SPDX-License-Identifier: Apache-2.0 */
/* The key of a state directory by which its notes on files are known, which say what a file was before it was
 * compressed. Whoever can write a file can write a note; without the key it counts for nothing. */
#ifndef OLVIDO_NOTES_H
#define OLVIDO_NOTES_H

#include "olvido/error.h"

/* Without a key no note is believed. */
struct olv_notes;

/* Of a state directory; without a key where there is none yet. NULL with `err`; freed by the caller. */
struct olv_notes *olv_notes_read(const char *state, struct olv_error *err);
void olv_notes_free(struct olv_notes *notes);

#endif
