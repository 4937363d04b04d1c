/* SPDX-License-Identifier: Apache-2.0 */
/* Reads the lines of a manifest. */
#ifndef OLV_ARCHIVE_MANIFEST_MEMBER_H
#define OLV_ARCHIVE_MANIFEST_MEMBER_H

#include "archive/make.h"
#include "base/arena.h"
#include "olvido/json.h"
#include "pack/tar.h"

/* What a line says of a member. Starts zeroed; owns what it points to, until the next line. */
struct manifest_member {
    struct made_member made;
    struct olv_member member;
    struct olv_text path, link, was;
    struct olv_arena arena;
};
/* False if the line makes no sense. */
bool manifest_member_read(struct manifest_member *out, const json_t *line);
void manifest_member_free(struct manifest_member *member);

/* Splits bytes into lines, piece by piece; a longer one makes no sense. Starts zeroed. */
enum { MANIFEST_LONGEST_LINE = 8 << 20 };
struct manifest_feed {
    struct olv_text line; /* what has arrived of it */
};
bool manifest_feed_add(struct manifest_feed *feed, const uint8_t *bytes, size_t len,
                       bool (*line)(void *self, const char *text, size_t len, struct olv_error *err),
                       void *self, struct olv_error *err);
void manifest_feed_free(struct manifest_feed *feed);

/* Calls `line` for each line of the reader's current member, which is a manifest. */
bool manifest_lines(struct tar_reader *tar,
                    bool (*line)(void *self, const char *text, size_t len, struct olv_error *err), void *self,
                    struct olv_error *err);

/* A string; "" if missing. */
const char *manifest_string(const json_t *line, const char *key);
/* SHA-256 in hex; false if missing. */
bool manifest_digest_of(const json_t *line, const char *key, uint8_t out[OLV_SHA256_SIZE]);
bool manifest_instant(const json_t *line, const char *key, struct olv_instant *out);

#endif
