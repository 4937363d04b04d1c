/* SPDX-License-Identifier: Apache-2.0 */
/* The inside of a reader, shared between its files: tar_read.c goes from member to member, tar_map.c reads
 * the maps of sparse files. */
#ifndef OLV_PACK_TAR_READER_H
#define OLV_PACK_TAR_READER_H

#include "base/arena.h"
#include "pack/tar.h"
#include "pack/tar_block.h"
#include "pack/tar_records.h"

struct tar_reader {
    const struct byte_stream *stream;
    const uint8_t *bytes; /* of the stream, not used yet */
    size_t len;
    uint64_t at;            /* of the next byte, in the plain archive */
    struct olv_arena arena; /* of the member under way */
    uint64_t header_bytes;  /* of the headers before its own, and of those that stand for all */
    uint64_t global_bytes;
    struct olv_arena global_arena;
    struct tar_said global; /* what stands for all members from then on */
    /* The data of the member under way. */
    uint64_t data_left, padding_left;
    const struct olv_extent *extents; /* NULL: all data */
    size_t extent, extent_count;
    uint64_t file_at;          /* where the next byte of data belongs */
    struct olv_hasher *hasher; /* of headers; NULL: nobody asks */
    bool is_in_header;
    bool is_over, is_joined; /* joined: the header read last is the first of another archive */
};

/* Exactly so many bytes, into `out`, or past it where that is NULL. */
bool tar_take(struct tar_reader *reader, void *out, uint64_t len, struct olv_error *err);
/* Says that something is damaged in what begins at this byte. Returns false. */
bool tar_damaged(struct olv_error *err, uint64_t at, const char *what);
/* Reads the map of a sparse file into `said`, and gives the member what is in it; of any other file nothing
 * happens. */
bool tar_read_map(struct tar_reader *reader, const struct tar_block *block, struct tar_said *said,
                  struct olv_member *member, struct olv_error *err);

#endif
