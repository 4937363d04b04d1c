/* SPDX-License-Identifier: Apache-2.0 */
/* What the parts of reading an archive anew share: reread_find.c reads frames and finds the manifest,
 * reread_lines.c takes what it says, reread.c compares that with what is there. */
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
    struct pack_source source; /* of a zip archive, up to its directory */
    uint64_t length;           /* of all of it */
    enum olv_codec codec;
    struct frame_reader *reader;
    uint64_t at;            /* where the next bytes come from */
    struct olv_text plain;  /* what was read last */
    bool is_given;          /* to the tar reader */
    struct frame_list read; /* frames that could be */
    struct frame_list said; /* what the manifest says of those before it */
    uint64_t manifest_at;   /* where its first frame begins */
    struct catalogue_archive archive;
    int64_t row; /* of the archive in the catalogue, while it is made; 0: none */
    struct olv_text run, rule;
    struct olv_hasher *hasher; /* of the manifest */
    struct member_position {
        uint64_t frame, at; /* of its header: the frame's number, and the place in the plain archive */
    } * places;             /* of all members, in the order of the manifest; owned */
    size_t place_count, place_cap;
    bool has_headers; /* the manifest commits to the headers of all members: */
    uint8_t headers[OLV_SHA256_SIZE];
    bool has_begun, has_ended;
    struct manifest_member member;
};

/* Says what is wrong with the archive. */
void reread_tell(struct reading *reading, const char *what);
/* Says how far it is. False with OLV_INTERRUPTED. */
bool reread_observe(const struct reading *reading, struct olv_error *err);

/* Whether it is more than damage. */
static inline bool reread_is_over(const struct olv_error *err)
{
    return err->code != OLV_OK && err->code != OLV_BROKEN;
}

/* Takes a line of the manifest, which is `self`'s. */
bool reread_line(void *self, const char *text, size_t len, struct olv_error *err);
/* Begins to take lines; and forgets what they have said. */
bool reread_begin(struct reading *reading, struct olv_error *err);
bool reread_forget(struct reading *reading, struct olv_error *err);

/* Reads the headers of all members, for the catalogue to know, and compares them with what the manifest
 * commits to. Those in damaged frames stay unknown. */
bool reread_headers(struct reading *reading, struct olv_error *err);

/* Find the manifest and read it, and all frames that can be; `has_ended` where there was one. */
bool reread_packed(struct reading *reading, struct olv_error *err);
bool reread_plain(struct reading *reading, struct olv_error *err);

#endif
