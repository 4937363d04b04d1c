/* SPDX-License-Identifier: Apache-2.0 */
/* Reading the lines of a manifest. */
#ifndef OLV_ARCHIVE_MANIFEST_MEMBER_H
#define OLV_ARCHIVE_MANIFEST_MEMBER_H

#include "archive/make.h"
#include "base/arena.h"
#include "olvido/json.h"
#include "pack/tar.h"

/* What a line says of a member. Begins zeroed; what it points to is its own, and stays until the next line.
 */
struct manifest_member {
    struct made_member made;
    struct olv_member member;
    struct olv_text path, link, was;
    struct olv_arena arena;
};
/* False where the line makes no sense. */
bool manifest_member_read(struct manifest_member *out, const json_t *line);
void manifest_member_free(struct manifest_member *member);

/* Lines out of bytes that come in pieces. Begins zeroed. */
struct manifest_feed {
    struct olv_text line; /* as much of it as has come */
};
bool manifest_feed_add(struct manifest_feed *feed, const uint8_t *bytes, size_t len,
                       bool (*line)(void *self, const char *text, size_t len, struct olv_error *err),
                       void *self, struct olv_error *err);
void manifest_feed_free(struct manifest_feed *feed);

/* Calls `line` for each line of the member that the reader is at, which is a manifest. */
bool manifest_lines(struct tar_reader *tar,
                    bool (*line)(void *self, const char *text, size_t len, struct olv_error *err), void *self,
                    struct olv_error *err);

/* A string; "" where there is none. */
const char *manifest_string(const json_t *line, const char *key);
/* SHA-256 in hex; false where there is none. */
bool manifest_digest_of(const json_t *line, const char *key, uint8_t out[OLV_SHA256_SIZE]);
bool manifest_instant(const json_t *line, const char *key, struct olv_instant *out);

#endif
