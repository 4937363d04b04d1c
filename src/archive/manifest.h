/* SPDX-License-Identifier: Apache-2.0 */
/* The manifest of an archive: JSON Lines about the archive, its frames and its members. */
#ifndef OLV_ARCHIVE_MANIFEST_H
#define OLV_ARCHIVE_MANIFEST_H

#include "archive/make.h"
#include "olvido/json.h"

/* Grows in an unnamed temporary file while the archive does. */
struct manifest;
struct manifest *manifest_new(const char *run, const char *rule, enum olv_codec codec, struct olv_error *err);
/* The random id of the archive, which stands in its first line. */
enum { MANIFEST_ID = 16 };
const uint8_t *manifest_id(const struct manifest *manifest);
/* Reads it from a first line; false where there is none. */
bool manifest_read_id(const json_t *head, uint8_t out[MANIFEST_ID]);
/* For an archive that is made of another one: `head` is the first line of that one's. It gets an id of its
 * own.
 */
struct manifest *manifest_like(json_t *head, struct olv_error *err);
/* Adds a member as a line of another manifest says it; `header` is the digest of its headers. */
void manifest_put(struct manifest *manifest, const json_t *line, const uint8_t header[OLV_SHA256_SIZE]);
void manifest_add(struct manifest *manifest, const struct made_member *made);
/* Adds the frames and the totals; nothing is added after that. */
bool manifest_close(struct manifest *manifest, const struct frame_list *frames, struct olv_error *err);
/* The contents of all members; and when the archive was begun. */
uint64_t manifest_bytes(const struct manifest *manifest);
struct olv_instant manifest_time(const struct manifest *manifest);
/* SHA-256 of all of a closed one. */
const uint8_t *manifest_digest(const struct manifest *manifest);
uint64_t manifest_length(const struct manifest *manifest);
/* Reads a part of a closed one. */
bool manifest_read(struct manifest *manifest, void *out, size_t len, uint64_t at, struct olv_error *err);
void manifest_free(struct manifest *manifest);

#endif
