/* SPDX-License-Identifier: Apache-2.0 */
#include "pack/frames.h"

#include "base/crew.h"
#include "base/grow.h"
#include "pack/zip_frame.h"

#include <stdlib.h>
#include <xxhash.h>

/* Besides one job per worker: one being filled, and one that is done and waits for its turn. */
enum { SPARE_JOBS = 2 };

struct frames {
    enum olv_codec codec;
    struct frames_sink sink;
    struct encoder **encoders; /* one per worker */
    struct zip_encoder **zip_encoders;
    struct zip_directory *directory; /* of a zip archive */
    unsigned workers;
    struct crew *crew;
    struct frame_job *jobs, *spare; /* `spare`: in the caller's hands, or free */
    unsigned job_count, used;
    struct frame_list list;
    uint64_t length;
};

bool frame_list_add(struct frame_list *list, struct frame frame)
{
    if (!grow(&list->items, list->count, &list->cap, sizeof *list->items))
        return false;
    list->items[list->count++] = frame;
    return true;
}

void frame_list_free(struct frame_list *list)
{
    free(list->items);
    *list = (struct frame_list){0};
}

uint64_t frame_check(const void *bytes, size_t len)
{
    return XXH3_64bits(bytes, len);
}

/* ---- the workers ---- */

static void pack(struct encoder *encoder, struct frame_job *job)
{
    size_t bound = encoder_bound(encoder, job->plain.len);
    char *room;
    olv_text_clear(&job->packed);
    room = olv_text_room(&job->packed, bound);
    if (room)
        job->packed.len = encoder_run(encoder, olv_text_string(&job->plain), job->plain.len, room, bound);
    if (!room || job->packed.len == 0)
        olv_fail_memory(&job->error);
}

static void frames_work(void *self, unsigned worker, void *arg)
{
    struct frames *f = self;
    struct frame_job *job = arg;
    if (job->is_copy)
        return;
    if (job->fill && !job->fill(job, worker))
        return;
    if (job->plain.failed) {
        olv_fail_memory(&job->error);
        return;
    }
    if (job->plain.len == 0)
        return;
    job->check = job->packed_check = frame_check(job->plain.data, job->plain.len);
    if (f->codec == OLV_CODEC_NONE)
        return;
    if (f->codec == OLV_CODEC_ZIP)
        zip_encode(f->zip_encoders[worker], job);
    else
        pack(f->encoders[worker], job);
    job->packed_check = frame_check(olv_text_string(&job->packed), job->packed.len);
}

/* ---- the caller's side ---- */

static bool make_encoders(struct frames *f, int level)
{
    bool is_zip = f->codec == OLV_CODEC_ZIP;
    f->encoders = calloc(f->workers, sizeof(struct encoder *));
    f->zip_encoders = calloc(f->workers, sizeof(struct zip_encoder *));
    f->directory = is_zip ? zip_directory_new() : NULL;
    if (!f->encoders || !f->zip_encoders || is_zip != (f->directory != NULL))
        return false;
    for (unsigned i = 0; f->codec != OLV_CODEC_NONE && i < f->workers; i++)
        if (is_zip ? !(f->zip_encoders[i] = zip_encoder_new(level))
                   : !(f->encoders[i] = encoder_new(f->codec, level)))
            return false;
    return true;
}

struct frames *frames_new(enum olv_codec codec, int level, unsigned workers, const struct frames_sink *sink,
                          struct olv_error *err)
{
    struct frames *f = calloc(1, sizeof *f);
    bool ok = f != NULL;
    if (ok) {
        f->codec = codec;
        f->sink = *sink;
        f->workers = workers;
        f->job_count = workers + SPARE_JOBS;
        f->jobs = calloc(f->job_count, sizeof *f->jobs);
        ok = f->jobs && make_encoders(f, level);
    }
    if (ok)
        f->crew = crew_new(workers, f->job_count, frames_work, f);
    if (f && f->crew)
        return f;
    olv_fail_memory(err);
    frames_free(f);
    return NULL;
}

static bool frames_put(struct frames *f, const struct olv_text *bytes, struct olv_error *err)
{
    f->length += bytes->len;
    return f->sink.put(f->sink.self, bytes->data, bytes->len, err);
}

static bool write_frame(struct frames *f, struct frame_job *job, struct olv_error *err)
{
    const struct olv_text *bytes = f->codec == OLV_CODEC_NONE && !job->is_copy ? &job->plain : &job->packed;
    struct frame frame = {.at = f->length,
                          .plain_length = job->is_copy ? job->plain_length : (uint32_t)job->plain.len,
                          .check = job->check,
                          .packed_check = job->packed_check};
    size_t len = bytes->len;
    if (f->directory && !zip_directory_take(f->directory, job, f->length, err))
        return false;
    if (bytes->len != len) /* a large member's lengths in a zip archive are written after it */
        frame.packed_check = frame_check(bytes->data, bytes->len);
    frame.length = (uint32_t)bytes->len;
    if (!frames_put(f, bytes, err))
        return false;
    return frame_list_add(&f->list, frame) || olv_fail_memory(err);
}

/* Writes the oldest frame in progress. */
static bool write_one(struct frames *f, struct olv_error *err)
{
    struct frame_job *job = crew_take(f->crew);
    bool is_there = job->is_copy || job->plain.len > 0;
    f->spare = job;
    if (job->error.code != OLV_OK) {
        *err = job->error;
        return false;
    }
    if (is_there && !write_frame(f, job, err))
        return false;
    if (f->sink.wrote)
        f->sink.wrote(f->sink.self, job, f->list.count - is_there);
    return true;
}

struct frame_job *frames_next(struct frames *f, struct olv_error *err)
{
    struct frame_job *job = f->spare;
    if (!job && f->used < f->job_count)
        job = &f->jobs[f->used++];
    else if (!job && !write_one(f, err))
        return NULL;
    else if (!job)
        job = f->spare;
    f->spare = NULL;
    job->fill = NULL;
    job->error = (struct olv_error){0};
    job->part = FRAME_WHOLE;
    job->data_at = job->data_len = 0;
    job->is_copy = false;
    olv_text_clear(&job->head);
    olv_text_clear(&job->plain);
    return job;
}

void frame_job_end(struct frame_job *job, bool is_first, bool is_last)
{
    job->data_len = job->plain.len - job->data_at;
    job->part = is_first ? is_last ? FRAME_WHOLE : FRAME_BEGINS : is_last ? FRAME_ENDS : FRAME_GOES_ON;
}

bool frames_copy(struct frames *f, const void *packed, const struct frame *frame, struct olv_error *err)
{
    struct frame_job *job = frames_next(f, err);
    if (!job)
        return false;
    job->is_copy = true;
    job->check = frame->check;
    job->packed_check = frame->packed_check;
    job->plain_length = frame->plain_length;
    olv_text_clear(&job->packed);
    olv_text_add(&job->packed, packed, frame->length);
    if (job->packed.failed)
        return olv_fail_memory(err);
    frames_give(f, job);
    return true;
}

void frames_give(struct frames *f, struct frame_job *job)
{
    crew_give(f->crew, job);
}

bool frames_drain(struct frames *f, struct olv_error *err)
{
    while (crew_under_way(f->crew))
        if (!write_one(f, err))
            return false;
    f->used = 0; /* all are free again */
    f->spare = NULL;
    return true;
}

uint64_t frames_cut(struct frames *f, size_t count)
{
    if (count < f->list.count) {
        f->length = f->list.items[count].at;
        f->list.count = count;
    }
    if (f->directory)
        zip_directory_cut(f->directory);
    return f->length;
}

/* A packed file with no bytes in it. */
static bool make_empty(struct frames *f, struct olv_text *out, struct olv_error *err)
{
    struct frame_job empty = {0};
    if (f->codec == OLV_CODEC_NONE || f->codec == OLV_CODEC_ZIP)
        return true;
    pack(f->encoders[0], &empty);
    *out = empty.packed;
    if (empty.error.code != OLV_OK)
        *err = empty.error;
    return err->code == OLV_OK;
}

bool frames_finish(struct frames *f, struct olv_error *err)
{
    struct olv_text end = {0};
    bool ok = frames_drain(f, err) && (f->list.count || make_empty(f, &end, err));
    if (ok && f->codec == OLV_CODEC_ZSTD)
        seek_table_put(&f->list, &end);
    else if (ok && f->directory)
        zip_directory_end(f->directory, f->length, &end);
    if (ok && end.failed)
        ok = olv_fail_memory(err);
    if (ok && end.len) {
        f->list.end_check = frame_check(end.data, end.len);
        ok = frames_put(f, &end, err);
    }
    olv_text_free(&end);
    return ok;
}

const struct frame_list *frames_written(const struct frames *f)
{
    return &f->list;
}

struct frame_list frames_take(struct frames *f)
{
    struct frame_list list = f->list;
    f->list = (struct frame_list){0};
    return list;
}

uint64_t frames_length(const struct frames *f)
{
    return f->length;
}

void frames_free(struct frames *f)
{
    if (!f)
        return;
    crew_free(f->crew);
    for (unsigned i = 0; f->encoders && i < f->workers; i++)
        encoder_free(f->encoders[i]);
    for (unsigned i = 0; f->zip_encoders && i < f->workers; i++)
        zip_encoder_free(f->zip_encoders[i]);
    zip_directory_free(f->directory);
    for (unsigned i = 0; f->jobs && i < f->job_count; i++) {
        olv_text_free(&f->jobs[i].plain);
        olv_text_free(&f->jobs[i].packed);
        olv_text_free(&f->jobs[i].head);
    }
    free(f->encoders);
    free(f->zip_encoders);
    free(f->jobs);
    frame_list_free(&f->list);
    free(f);
}
