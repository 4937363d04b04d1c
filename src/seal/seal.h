/* SPDX-License-Identifier: Apache-2.0 */
/* Keys and signed notes: Ed25519 (RFC 8032), in the C2SP signed-note format. */
#ifndef OLV_SEAL_SEAL_H
#define OLV_SEAL_SEAL_H

#include "olvido/error.h"
#include "olvido/text.h"

#include <stddef.h>
#include <stdint.h>

struct olv_key; /* the installation's name (its "origin"), and its key pair or only the public half */

enum { ORIGIN_SIZE = 64 };

/* The pair in the directory `keys`. `origin` is that of earlier signatures; "": there are none, and then a
 * pair is created. A missing public half is made from the private one; if both are missing although something
 * was signed, that is OLV_BROKEN: a key is never replaced. */
struct olv_key *olv_key_load_or_make(int keys, const char *origin, struct olv_error *err);
/* Enough to verify: the public half, or if that is missing the private one. Writes nothing. */
struct olv_key *olv_key_load_public(int keys, const char *origin, struct olv_error *err);
/* Reports that both halves are missing although something was signed: false with OLV_BROKEN and what to do.
 */
bool olv_keys_are_gone(struct olv_error *err);
const char *olv_key_origin(const struct olv_key *key);
void olv_key_free(struct olv_key *key);

/* Appends `body` (which ends with a newline), a blank line and the signature line. */
bool olv_note_sign(const struct olv_key *key, const struct olv_text *body, struct olv_text *out,
                   struct olv_error *err);
/* Whether the note has a valid signature of this key; `body_len` gets the length of its body. */
bool olv_note_verify(const struct olv_key *key, const char *note, size_t len, size_t *body_len,
                     struct olv_error *err);

#endif
