/* SPDX-License-Identifier: Apache-2.0 */
/* The key for Olvido's own notes on files; see file/origin.h. */
#ifndef OLV_SEAL_NOTES_H
#define OLV_SEAL_NOTES_H

#include "base/notes.h"
#include "olvido/error.h"

/* Reads the key of an open state directory, or creates it. False with `err`; with ENOENT if there is none and
 * `can_make` is false: then `out` trusts no note. */
bool notes_read(int state, bool can_make, struct olv_notes *out, struct olv_error *err);

#endif
