/* SPDX-License-Identifier: Apache-2.0 */
/* Writes a packed file as frames of about 4 MiB, in parallel, and proves one that was written. A frame is
 * self-contained, so it is read without the others; for zstd a seek table, in a skippable frame at the end,
 * says where each begins. docs/formats/archive.md describes the bytes. */
#ifndef OLV_PACK_FRAMES_H
#define OLV_PACK_FRAMES_H

#include "olvido/text.h"
#include "pack/codec.h"
#include "pack/source.h"

enum { FRAME_BYTES = 4 << 20 }; /* plain bytes; a frame may have a few more */

struct frame {
    uint64_t at; /* in the packed file */
    uint32_t length, plain_length;
    uint64_t check; /* a fast digest of the plain bytes: 64-bit XXH3 */
    uint64_t
        packed_check; /* the same of the packed ones, which covers what the format itself does not check */
};

struct frame_list {
    struct frame *items; /* owned */
    size_t count, cap;
    uint64_t end_check; /* of what follows the last frame (a seek table, a directory); 0: nothing */
};

bool frame_list_add(struct frame_list *list, struct frame frame);
void frame_list_free(struct frame_list *list);
/* The fast digest. */
uint64_t frame_check(const void *bytes, size_t len);
/* The same for a range of a source, read in steps. */
bool frame_check_stretch(const struct pack_source *source, uint64_t at, uint64_t end, uint64_t *out,
                         struct olv_error *err);

/* ---- writing ---- */

/* Which part of a member a frame has, if members are packed one by one (zip). */
enum frame_part { FRAME_WHOLE, FRAME_BEGINS, FRAME_GOES_ON, FRAME_ENDS };

/* One frame in progress. */
struct frame_job {
    struct olv_text plain; /* the input */
    /* Called by a worker before compressing, to fill `plain`; NULL: it is filled. False with `error`. */
    bool (*fill)(struct frame_job *job, unsigned worker);
    void *context;          /* for `fill` */
    struct olv_error error; /* of the worker */
    struct olv_text packed;
    uint64_t check, packed_check;
    /* For zip: what the packed frame starts with (see zip_frame.h), and where the contents are in `plain`;
     * what surrounds them is not packed. */
    enum frame_part part;
    struct olv_text head;
    size_t data_at, data_len;
    uint32_t crc; /* CRC-32 of the contents, by the worker */
    /* Copied: only `packed` is filled. */
    bool is_copy;
    uint32_t plain_length;
};

struct frames_sink {
    void *self;
    /* Appends the bytes. */
    bool (*put)(void *self, const void *bytes, size_t len, struct olv_error *err);
    /* A job is done; may be NULL. `number` is that of its frame or, if it stayed empty, of the next one. */
    void (*wrote)(void *self, struct frame_job *job, size_t number);
};

struct frames;
struct frames *frames_new(enum olv_codec codec, int level, unsigned workers, const struct frames_sink *sink,
                          struct olv_error *err);
/* An empty job for the next frame; writes the oldest ones if all are in use. NULL with `err`. */
struct frame_job *frames_next(struct frames *frames, struct olv_error *err);
/* From `data_at` on, `plain` has a member's contents: the first of them, the last, or both. */
void frame_job_end(struct frame_job *job, bool is_first, bool is_last);
/* Adds a frame of another archive as it is. */
bool frames_copy(struct frames *frames, const void *packed, const struct frame *frame, struct olv_error *err);
/* Hands over the job. One that stays empty makes no frame. */
void frames_give(struct frames *frames, struct frame_job *job);
/* Writes everything in progress. */
bool frames_drain(struct frames *frames, struct olv_error *err);
/* Forgets all frames from this number on, which are already written; the caller cuts the file at the returned
 * length. */
uint64_t frames_cut(struct frames *frames, size_t count);
/* Writes everything, and the format's end. Without any frame, writes an empty one. */
bool frames_finish(struct frames *frames, struct olv_error *err);
const struct frame_list *frames_written(const struct frames *frames);
/* The same; the caller owns it from then on. */
struct frame_list frames_take(struct frames *frames);
/* Where the next byte goes. */
uint64_t frames_length(const struct frames *frames);
void frames_free(struct frames *frames);

/* ---- the seek table of zstd ---- */

/* Appends it: a skippable frame (RFC 8878, 3.1.2) with the lengths of all frames; nothing if there is only
 * one. */
void seek_table_put(const struct frame_list *list, struct olv_text *out);
/* Reads it from the end of the source, and fills `list` (checks are 0). False if there is none, or it does
 * not match the file. */
bool seek_table_get(const struct pack_source *source, struct frame_list *list);

/* Appends what belongs after these frames of the source: a seek table, a directory, or nothing. False with
 * OLV_BROKEN if damage hides it. */
bool frames_end(const struct pack_source *source, enum olv_codec codec, const struct frame_list *list,
                struct olv_text *out, struct olv_error *err);

/* ---- proving ---- */

struct frames_proof {
    void *self;
    /* A frame is wrong; called in frame order, and for what follows the frames as if it were one more.
     * `is_lost`: its contents are gone, not only altered in packed form. May be NULL. */
    void (*bad)(void *self, size_t number, bool is_lost, const struct olv_error *why);
    /* Plain bytes compared so far; returning false stops (OLV_INTERRUPTED). May be NULL. */
    bool (*progress)(void *self, uint64_t plain_bytes);
};

/* Reads, decodes and compares every frame of the list and what follows. False with `err` at the first bad one
 * or, with `proof->bad`, after all of them. */
bool frames_prove(const struct pack_source *source, enum olv_codec codec, const struct frame_list *list,
                  unsigned workers, const struct frames_proof *proof, struct olv_error *err);

#endif
