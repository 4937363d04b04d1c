/* SPDX-License-Identifier: Apache-2.0 */
/* Writing a packed file as frames of about 4 MiB, in parallel, and proving one that was written.
 *
 * A frame stands for itself, so one is read without the others; for zstd a seek table, in a frame to be
 * skipped at the end, says where each begins. docs/formats/archive.md describes the bytes. */
#ifndef OLV_PACK_FRAMES_H
#define OLV_PACK_FRAMES_H

#include "olvido/text.h"
#include "pack/codec.h"
#include "pack/source.h"

enum { FRAME_BYTES = 4 << 20 }; /* of plain bytes; a frame may have a few more */

struct frame {
    uint64_t at; /* in the packed file */
    uint32_t length, plain_length;
    uint64_t check;        /* a fast digest of the plain bytes: XXH3, 64 bits */
    uint64_t packed_check; /* the same of the packed ones: what the format does not check is checked, too */
};

struct frame_list {
    struct frame *items; /* owned */
    size_t count, cap;
    uint64_t
        end_check; /* of what stands behind the last frame (a seek table, a directory); 0: nothing does */
};

bool frame_list_add(struct frame_list *list, struct frame frame);
void frame_list_free(struct frame_list *list);
/* The fast digest. */
uint64_t frame_check(const void *bytes, size_t len);
/* The same of a stretch of a source, read in steps. */
bool frame_check_stretch(const struct pack_source *source, uint64_t at, uint64_t end, uint64_t *out,
                         struct olv_error *err);

/* ---- writing ---- */

/* What of a member is in a frame. It matters where members are packed one by one (zip). */
enum frame_part { FRAME_WHOLE, FRAME_BEGINS, FRAME_GOES_ON, FRAME_ENDS };

/* One frame on its way. */
struct frame_job {
    struct olv_text plain; /* what goes in */
    /* Called by a worker before it compresses, to fill `plain`; NULL: it is filled. False with `error`. */
    bool (*fill)(struct frame_job *job, unsigned worker);
    void *context;          /* for `fill` */
    struct olv_error error; /* of the worker */
    struct olv_text packed;
    uint64_t check, packed_check;
    /* For zip: with what it begins when it is packed (see zip_frame.h), and where in `plain` the contents
     * are; what stands before and behind them is not packed. */
    enum frame_part part;
    struct olv_text head;
    size_t data_at, data_len;
    uint32_t crc; /* CRC-32 of these, by the worker */
    /* Taken over as it is: only `packed` is filled. */
    bool is_copy;
    uint32_t plain_length;
};

struct frames_sink {
    void *self;
    /* The bytes go behind all before them. */
    bool (*put)(void *self, const void *bytes, size_t len, struct olv_error *err);
    /* A job has gone its way; NULL: nobody wants to know. `number` is that of its frame, or, where it was
     * left empty, of the next one. */
    void (*wrote)(void *self, struct frame_job *job, size_t number);
};

struct frames;
struct frames *frames_new(enum olv_codec codec, int level, unsigned workers, const struct frames_sink *sink,
                          struct olv_error *err);
/* An empty job, for the next frame; writes the oldest ones where all are under way. NULL with `err`. */
struct frame_job *frames_next(struct frames *frames, struct olv_error *err);
/* What is in `plain` from `data_at` on are a member's contents; the first of them, the last, or both. */
void frame_job_end(struct frame_job *job, bool is_first, bool is_last);
/* The next frame is this one of another archive. */
bool frames_copy(struct frames *frames, const void *packed, const struct frame *frame, struct olv_error *err);
/* Passes the job on. One that stays empty makes no frame. */
void frames_give(struct frames *frames, struct frame_job *job);
/* Writes all that is under way. */
bool frames_drain(struct frames *frames, struct olv_error *err);
/* Forgets all frames from this number on, which were written already; the caller cuts the file at the length
 * that comes back. */
uint64_t frames_cut(struct frames *frames, size_t count);
/* Writes all, and what the format has at its end. Without any frame, an empty one. */
bool frames_finish(struct frames *frames, struct olv_error *err);
const struct frame_list *frames_written(const struct frames *frames);
/* The same, which is the caller's from then on. */
struct frame_list frames_take(struct frames *frames);
/* Where the next byte goes. */
uint64_t frames_length(const struct frames *frames);
void frames_free(struct frames *frames);

/* ---- the seek table of zstd ---- */

/* Appends it: a skippable frame (RFC 8878, 3.1.2) with the lengths of all frames; where there is one only,
 * nothing. */
void seek_table_put(const struct frame_list *list, struct olv_text *out);
/* Reads it from the end of the source, and fills `list` (checks are 0). False where there is none, or where
 * it does not describe the file. */
bool seek_table_get(const struct pack_source *source, struct frame_list *list);

/* What belongs behind these frames of the source, appended: a seek table, a directory, or nothing. False with
 * OLV_BROKEN where damage keeps it from being known. */
bool frames_end(const struct pack_source *source, enum olv_codec codec, const struct frame_list *list,
                struct olv_text *out, struct olv_error *err);

/* ---- proving ---- */

struct frames_proof {
    void *self;
    /* A frame is not what it should be; called in the order of the frames, and for what stands behind them as
     * if it was one more. `is_lost`: its contents are gone, not only what they are packed in. May be NULL. */
    void (*bad)(void *self, size_t number, bool is_lost, const struct olv_error *why);
    /* So many plain bytes were compared so far; false stops (OLV_INTERRUPTED). May be NULL. */
    bool (*progress)(void *self, uint64_t plain_bytes);
};

/* Reads every frame of the list and what stands behind them, decodes and compares. False with `err` at the
 * first bad one, or, with `proof->bad`, after all of them. */
bool frames_prove(const struct pack_source *source, enum olv_codec codec, const struct frame_list *list,
                  unsigned workers, const struct frames_proof *proof, struct olv_error *err);

#endif
