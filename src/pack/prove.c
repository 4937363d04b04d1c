/* SPDX-License-Identifier: Apache-2.0 */
#include "pack/frames.h"

#include "base/crew.h"

#include <stdlib.h>
#include <xxhash.h>

enum { SPARE_JOBS = 2 };

struct proof_job {
    size_t number;
    struct frame frame;
    struct olv_text packed, plain;
    bool is_lost;
    struct olv_error error;
};

struct proving {
    const struct pack_source *source;
    enum olv_codec codec;
    const struct frame_list *list;
    const struct frames_proof *proof;
    struct decoder **decoders;
    uint64_t plain_bytes;
    size_t bad;
};

static bool differs(struct proof_job *job, const char *what)
{
    job->is_lost = true;
    return olv_fail(&job->error, OLV_BROKEN, "frame %zu at byte %llu %s", job->number,
                    (unsigned long long)job->frame.at, what);
}

static bool check(const struct proving *p, struct decoder *decoder, struct proof_job *job)
{
    const struct frame *f = &job->frame;
    char *packed, *plain;
    long got = f->length;
    olv_text_clear(&job->packed);
    olv_text_clear(&job->plain);
    packed = olv_text_room(&job->packed, f->length);
    plain = p->codec == OLV_CODEC_NONE ? packed : olv_text_room(&job->plain, f->plain_length);
    if (!packed || !plain)
        return olv_fail_memory(&job->error);
    job->is_lost = true;
    if (!pack_read(p->source, packed, f->length, f->at, &job->error))
        return false;
    if (p->codec != OLV_CODEC_NONE)
        got = decoder_frame(decoder, packed, f->length, plain, f->plain_length);
    if (got < 0 || (uint32_t)got != f->plain_length)
        return differs(job, "cannot be decoded");
    if (frame_check(plain, (size_t)got) != f->check)
        return differs(job, "is not what was written");
    if (p->codec == OLV_CODEC_NONE || frame_check(packed, f->length) == f->packed_check)
        return true;
    differs(job, "is packed in other bytes than were written; its contents are sound");
    return job->is_lost = false;
}

static void prove_work(void *self, unsigned worker, void *arg)
{
    struct proving *p = self;
    check(p, p->decoders[worker], arg);
}

/* Notes a job's result. */
static bool prove_note(struct proving *p, struct proof_job *job, struct olv_error *err)
{
    const struct frames_proof *proof = p->proof;
    p->plain_bytes += job->frame.plain_length;
    if (job->error.code != OLV_OK) {
        if (p->bad++ == 0)
            *err = job->error;
        if (!proof || !proof->bad || job->error.code == OLV_MEMORY)
            return false;
        proof->bad(proof->self, job->number, job->is_lost, &job->error);
    }
    if (proof && proof->progress && !proof->progress(proof->self, p->plain_bytes))
        return olv_fail(err, OLV_INTERRUPTED, "interrupted");
    return true;
}

bool frame_check_stretch(const struct pack_source *source, uint64_t at, uint64_t end, uint64_t *out,
                         struct olv_error *err)
{
    enum { STEP = 256 << 10 };
    XXH3_state_t *state = XXH3_createState();
    uint8_t *bytes = malloc(STEP);
    bool ok = (state && bytes && XXH3_64bits_reset(state) == XXH_OK) || olv_fail_memory(err);
    while (ok && at < end) {
        size_t n = end - at < STEP ? (size_t)(end - at) : STEP;
        ok = pack_read(source, bytes, n, at, err);
        if (ok)
            XXH3_64bits_update(state, bytes, n);
        at += n;
    }
    if (ok)
        *out = XXH3_64bits_digest(state);
    XXH3_freeState(state);
    free(bytes);
    return ok;
}

static bool check_end(const struct proving *p, struct olv_error *err)
{
    const struct frame *last = p->list->count ? &p->list->items[p->list->count - 1] : NULL;
    uint64_t at = last ? last->at + last->length : 0, is = 0;
    if (at < p->source->size && !frame_check_stretch(p->source, at, p->source->size, &is, err))
        return false;
    return is == p->list->end_check ||
           olv_fail(err, OLV_BROKEN, "%s, from byte %llu on",
                    p->list->end_check ? "what follows its frames is not what was written"
                                       : "something follows its frames that was not written",
                    (unsigned long long)at);
}

static bool prove_end(struct proving *p, struct olv_error *err)
{
    struct proof_job end = {.number = p->list->count};
    check_end(p, &end.error);
    return prove_note(p, &end, err);
}

static bool prove_all(struct proving *p, struct crew *crew, struct proof_job *jobs, unsigned job_count,
                      struct olv_error *err)
{
    bool ok = true;
    for (size_t i = 0; ok && i < p->list->count; i++) {
        struct proof_job *job = &jobs[i % job_count];
        if (crew_under_way(crew) == job_count)
            ok = prove_note(p, crew_take(crew), err);
        if (!ok)
            break;
        job->number = i;
        job->frame = p->list->items[i];
        job->error = (struct olv_error){0};
        crew_give(crew, job);
    }
    while (ok && crew_under_way(crew))
        ok = prove_note(p, crew_take(crew), err);
    return ok && prove_end(p, err);
}

static bool make_decoders(struct proving *p, unsigned workers)
{
    p->decoders = calloc(workers, sizeof(struct decoder *));
    for (unsigned i = 0; p->decoders && p->codec != OLV_CODEC_NONE && i < workers; i++)
        if (!(p->decoders[i] = decoder_new(p->codec)))
            return false;
    return p->decoders != NULL;
}

bool frames_prove(const struct pack_source *source, enum olv_codec codec, const struct frame_list *list,
                  unsigned workers, const struct frames_proof *proof, struct olv_error *err)
{
    struct proving p = {.source = source, .codec = codec, .list = list, .proof = proof};
    unsigned job_count = workers + SPARE_JOBS;
    struct proof_job *jobs = calloc(job_count, sizeof *jobs);
    struct crew *crew = NULL;
    bool ok = jobs && make_decoders(&p, workers) && (crew = crew_new(workers, job_count, prove_work, &p));
    ok = ok ? prove_all(&p, crew, jobs, job_count, err) : olv_fail_memory(err);
    crew_free(crew);
    for (unsigned i = 0; p.decoders && i < workers; i++)
        decoder_free(p.decoders[i]);
    for (unsigned i = 0; jobs && i < job_count; i++) {
        olv_text_free(&jobs[i].packed);
        olv_text_free(&jobs[i].plain);
    }
    free(p.decoders);
    free(jobs);
    return ok && p.bad == 0;
}
