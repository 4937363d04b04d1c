/* SPDX-License-Identifier: Apache-2.0 */
/* The manifest of an archive: JSON Lines about the archive, its frames and its members. */
#ifndef OLV_ARCHIVE_MANIFEST_H
#define OLV_ARCHIVE_MANIFEST_H

#include "archive/make.h"
#include "olvido/json.h"

/* Grows in an unnamed temporary file together with the archive. */
struct manifest;
struct manifest *manifest_new(const char *run, const char *rule, enum olv_codec codec, struct olv_error *err);
/* The archive's random id, in the manifest's first line. */
enum { MANIFEST_ID = 16 };
const uint8_t *manifest_id(const struct manifest *manifest);
/* Reads it from a first line; false if there is none. */
bool manifest_read_id(const json_t *head, uint8_t out[MANIFEST_ID]);
/* For an archive made from another: `head` is the other's first line. It gets a new id. */
struct manifest *manifest_like(json_t *head, struct olv_error *err);
/* Adds a member by its line in another manifest; `header` is the digest of its headers. */
void manifest_put(struct manifest *manifest, const json_t *line, const uint8_t header[OLV_SHA256_SIZE]);
void manifest_add(struct manifest *manifest, const struct made_member *made);
/* Adds the frames and the totals; nothing can be added afterwards. */
bool manifest_close(struct manifest *manifest, const struct frame_list *frames, struct olv_error *err);
/* Total size of all members' contents; when the archive was started. */
uint64_t manifest_bytes(const struct manifest *manifest);
struct olv_instant manifest_time(const struct manifest *manifest);
/* SHA-256 of a closed manifest. */
const uint8_t *manifest_digest(const struct manifest *manifest);
uint64_t manifest_length(const struct manifest *manifest);
/* Reads a part of a closed one. */
bool manifest_read(struct manifest *manifest, void *out, size_t len, uint64_t at, struct olv_error *err);
void manifest_free(struct manifest *manifest);

#endif
