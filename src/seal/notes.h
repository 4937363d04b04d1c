/* SPDX-License-Identifier: Apache-2.0 */
/* The key by which Olvido knows its own notes on files again; see file/origin.h. */
#ifndef OLV_SEAL_NOTES_H
#define OLV_SEAL_NOTES_H

#include "base/notes.h"
#include "olvido/error.h"

/* Reads the key of an open state directory, or makes it. False with `err`, and err->sys ENOENT where there is
 * none and it is not to be made; then it is one that believes no note. */
bool notes_read(int state, bool can_make, struct olv_notes *out, struct olv_error *err);

#endif
