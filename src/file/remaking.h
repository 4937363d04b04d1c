/* SPDX-License-Identifier: Apache-2.0 */
/* What is needed to make an empty directory again, as text: a line "MODE OWNER GROUP SECONDS NANOSECONDS",
 * the last two of its modification, then a line "NAME VALUE" for each extended attribute, access lists among
 * them, both in hexadecimal. */
#ifndef OLV_FILE_REMAKING_H
#define OLV_FILE_REMAKING_H

#include "olvido/entry.h"
#include "olvido/error.h"
#include "olvido/text.h"

/* No record keeps more. */
enum { REMAKING_MOST = 64 << 10 };

/* Appends it for an open directory. False with `err`: OLV_REFUSED if it is too long. */
bool remaking_note(int fd, const struct olv_stat *stat, struct olv_text *out, struct olv_error *err);
/* Makes an open directory, which is ours, like that; times come last. OLV_BROKEN if the text is none. */
bool remaking_apply(int fd, const char *text, struct olv_error *err);
/* Whether a directory has the owner, mode and time that the text says. */
bool remaking_is_like(const char *text, const struct olv_stat *stat);

#endif
