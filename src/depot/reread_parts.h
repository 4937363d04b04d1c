/* SPDX-License-Identifier: Apache-2.0 */
/* Shared by the parts of rereading an archive: reread_find.c reads frames and finds the manifest,
 * reread_lines.c takes its lines, reread.c compares them with what is there. */
#ifndef OLV_DEPOT_REREAD_PARTS_H
#define OLV_DEPOT_REREAD_PARTS_H

#include "archive/manifest_member.h"
#include "depot/reread.h"
#include "pack/frame_reader.h"
#include "pack/frames.h"

struct reading {
    const struct reread_options *options;
    struct reread_result *result;
    const char *name;
    int fd;
    struct pack_source source; /* of a zip archive: without its directory */
    uint64_t length;           /* of everything */
    enum olv_codec codec;
    struct frame_reader *reader;
    uint64_t at;            /* where to read next */
    struct olv_text plain;  /* what was read last */
    bool is_given;          /* to the tar reader */
    struct frame_list read; /* frames that were readable */
    struct frame_list said; /* those before the manifest, according to it */
    uint64_t manifest_at;   /* where its first frame begins */
    struct catalogue_archive archive;
    int64_t row; /* the archive's row, while it is being made; 0: none */
    struct olv_text run, rule;
    struct olv_hasher *hasher; /* of the manifest */
    struct member_position {
        uint64_t frame, at; /* of its header: frame number, and offset in the unpacked archive */
    } * places;             /* of all members, in manifest order; owned */
    size_t place_count, place_cap;
    bool has_headers; /* the manifest commits to the headers of all members: */
    uint8_t headers[OLV_SHA256_SIZE];
    bool has_begun, has_ended;
    struct manifest_member member;
};

/* Reports what is wrong with the archive. */
void reread_tell(struct reading *reading, const char *what);
/* Reports progress. False with OLV_INTERRUPTED. */
bool reread_observe(const struct reading *reading, struct olv_error *err);

/* Whether it is more than damage. */
static inline bool reread_is_over(const struct olv_error *err)
{
    return err->code != OLV_OK && err->code != OLV_BROKEN;
}

/* Takes a line of the manifest; `self` is the reading. */
bool reread_line(void *self, const char *text, size_t len, struct olv_error *err);
/* Starts taking lines, and forgets earlier ones. */
bool reread_begin(struct reading *reading, struct olv_error *err);
bool reread_forget(struct reading *reading, struct olv_error *err);

/* Reads the headers of all members for the catalogue, and compares them with the manifest's digest. Those in
 * damaged frames stay unknown. */
bool reread_headers(struct reading *reading, struct olv_error *err);

/* Finds and reads the manifest, and all readable frames; `has_ended` if there is an end mark. */
bool reread_packed(struct reading *reading, struct olv_error *err);
bool reread_plain(struct reading *reading, struct olv_error *err);

#endif
