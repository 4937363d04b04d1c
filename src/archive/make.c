/* SPDX-License-Identifier: Apache-2.0 */
/* Small files go into frames in bundles, each filled by one worker. A file larger than a frame has frames of
 * its own, which are cut off again if it changes while being read. So nothing half-read is ever in an
 * archive. Other names of an archived file become hard links, once that file is known to be in the archive.
 * In a zip archive each member has frames of its own, and its full contents, because zip has no hard links
 * and no holes. */
#include "archive/make.h"

#include "archive/bundle.h"
#include "archive/ending.h"
#include "archive/links.h"
#include "archive/manifest.h"
#include "base/grow.h"
#include "os/durable.h"
#include "os/os.h"
#include "os/reading.h"
#include "pack/tar.h"
#include "pack/zip_frame.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { SPARE_BUNDLES = 3 };

struct making {
    struct making_options options;
    struct fresh fresh;
    struct frames *frames;
    struct manifest *manifest;
    struct bundle_worker *workers; /* one more than threads: the last is the caller's own */
    struct bundle *bundles;
    unsigned bundle_count;
    struct bundle *filling; /* NULL: none */
    unsigned next_bundle;
    uint64_t plain_at; /* in the frames written so far */
    uint64_t members, files, bytes;
    struct links *links;
    size_t manifest_frame;
    struct olv_text path;
};

/* ---- frames on their way ---- */

static bool make_put(void *self, const void *bytes, size_t len, struct olv_error *err)
{
    struct making *m = self;
    return olv_write_all(m->fresh.fd, bytes, len) || olv_fail_system(err, "", "cannot write the archive");
}

static void make_tell(struct making *m, struct made_member *made)
{
    if (!made->error) {
        if (!made->was)
            m->options.former(m->options.self, made);
        m->members++;
        manifest_add(m->manifest, made);
    }
    links_know(m->links, made->sequence, !made->error);
    m->options.note_member(m->options.self, made);
}

static void set_clock(const struct making *m, const struct olv_identity *identity, struct made_member *made)
{
    enum olv_clock clock = m->options.clock;
    if (clock != OLV_CLOCK_CHANGED && (clock != OLV_CLOCK_BORN || !identity->has_born))
        return;
    made->has_clock = true;
    made->clock = clock;
    made->clock_time = clock == OLV_CLOCK_BORN ? identity->born : identity->changed;
}

static void tell_bundle(struct making *m, const struct bundle *b, size_t frame)
{
    for (size_t i = 0; i < b->count; i++) {
        const struct bundle_item *item = &b->items[i];
        struct made_member made = {.sequence = item->sequence,
                                   .error = item->error,
                                   .frame = frame,
                                   .at = m->plain_at + item->at,
                                   .has_header = item->has_member,
                                   .has_digest = item->has_digest,
                                   .was = item->was,
                                   .was_bytes = item->was_bytes,
                                   .member = item->has_member ? &item->member : NULL};
        memcpy(made.header, item->header, sizeof made.header);
        memcpy(made.digest, item->digest, sizeof made.digest);
        set_clock(m, &item->entry.identity, &made);
        make_tell(m, &made);
    }
}

static void wrote(void *self, struct frame_job *job, size_t number)
{
    struct making *m = self;
    if (job->fill)
        tell_bundle(m, job->context, number);
    m->plain_at += job->plain.len;
}

static bool is_zip(const struct making *m)
{
    return m->options.codec == OLV_CODEC_ZIP;
}

static void progress(const struct making *m)
{
    olv_observe_progress(m->options.observer,
                         (struct olv_progress){.doing = "archiving",
                                               .files = m->options.files_before + m->files,
                                               .bytes = m->options.bytes_before + m->bytes});
}

static bool make_is_interrupted(const struct making *m, struct olv_error *err)
{
    return olv_observe_interrupted(m->options.observer) && !olv_fail(err, OLV_INTERRUPTED, "interrupted");
}

/* ---- the beginning ---- */

static bool make_workers(struct making *m)
{
    unsigned count = m->options.workers + 1;
    m->workers = calloc(count, sizeof *m->workers);
    for (unsigned i = 0; m->workers && i < count; i++) {
        olv_reach_begin(&m->workers[i].reach);
        m->workers[i].room.stays = m->options.keeps;
        m->workers[i].room.notes = m->options.notes;
    }
    for (unsigned i = 0; m->workers && i < count; i++)
        if (!(m->workers[i].hasher = olv_hasher_new()) || !(m->workers[i].many = many_hasher_new()))
            return false;
    return m->workers != NULL;
}

static bool make_bundles(struct making *m)
{
    m->bundle_count = m->options.workers + SPARE_BUNDLES;
    m->bundles = calloc(m->bundle_count, sizeof *m->bundles);
    for (unsigned i = 0; m->bundles && i < m->bundle_count; i++) {
        m->bundles[i].workers = m->workers;
        m->bundles[i].observer = m->options.observer;
        m->bundles[i].is_zip = is_zip(m);
        m->bundles[i].items = calloc(BUNDLE_ENTRIES, sizeof(struct bundle_item));
        m->bundles[i].pieces = calloc(BUNDLE_ENTRIES, sizeof(struct many_piece));
        if (!m->bundles[i].items || !m->bundles[i].pieces)
            return false;
    }
    return m->bundles != NULL;
}

struct making *making_begin(const struct making_options *options, struct olv_error *err)
{
    struct making *m = allocate(sizeof *m, err);
    struct frames_sink sink = {m, make_put, wrote};
    if (!m)
        return NULL;
    m->options = *options;
    m->fresh.fd = -1;
    m->links = links_new();
    if (!m->links || !make_workers(m) || !make_bundles(m))
        olv_fail_memory(err);
    else if (fresh_open(&m->fresh, options->dir, options->label, err) &&
             (m->manifest = manifest_new(options->run, options->rule, options->codec, err)))
        m->frames = frames_new(options->codec, options->level, options->workers, &sink, err);
    if (m->frames)
        return m;
    making_free(m);
    return NULL;
}

void making_free(struct making *m)
{
    if (!m)
        return;
    frames_free(m->frames);
    for (unsigned i = 0; m->bundles && i < m->bundle_count; i++) {
        bundle_clear(&m->bundles[i]);
        free(m->bundles[i].items);
        free(m->bundles[i].pieces);
    }
    for (unsigned i = 0; m->workers && i <= m->options.workers; i++) {
        olv_hasher_free(m->workers[i].hasher);
        many_hasher_free(m->workers[i].many);
        olv_reach_end(&m->workers[i].reach);
    }
    manifest_free(m->manifest);
    links_free(m->links);
    fresh_close(&m->fresh);
    olv_text_free(&m->path);
    free(m->bundles);
    free(m->workers);
    free(m);
}

/* ---- small files ---- */

/* Hands over the bundle being filled. */
static bool give_bundle(struct making *m, struct olv_error *err)
{
    struct frame_job *job;
    if (!m->filling)
        return true;
    job = frames_next(m->frames, err);
    if (!job)
        return false;
    job->fill = bundle_fill;
    job->context = m->filling;
    frames_give(m->frames, job);
    m->filling = NULL;
    progress(m);
    return true;
}

/* There are more bundles than jobs, so the next one has been written already. */
static void begin_bundle(struct making *m)
{
    m->filling = &m->bundles[m->next_bundle++ % m->bundle_count];
    bundle_clear(m->filling);
}

static bool add_small(struct making *m, const struct olv_docket_entry *e, uint64_t sequence,
                      const char *hard_link, struct olv_error *err)
{
    struct bundle *b = m->filling;
    if (b && (b->count == (is_zip(m) ? 1 : BUNDLE_ENTRIES) || b->bytes + bundle_space(e) > FRAME_BYTES) &&
        !give_bundle(m, err))
        return false;
    if (!m->filling)
        begin_bundle(m);
    return bundle_add(m->filling, e, sequence, hard_link) || olv_fail_memory(err);
}

/* Everything added is written and reported. */
static bool make_drain(struct making *m, struct olv_error *err)
{
    return give_bundle(m, err) && frames_drain(m->frames, err);
}

/* ---- large files ---- */

struct large {
    struct making *making;
    const struct olv_docket_entry *entry;
    struct taking taking;
    struct olv_arena arena;
    struct bundle_worker *worker;
    struct frame_job *job; /* being filled */
    bool has_begun;        /* a frame was handed over */
    uint8_t header[OLV_SHA256_SIZE];
};

static bool next_frame(struct large *l, struct olv_error *err)
{
    if (l->job) {
        frame_job_end(l->job, !l->has_begun, false);
        l->has_begun = true;
        frames_give(l->making->frames, l->job);
    }
    l->job = frames_next(l->making->frames, err);
    return l->job != NULL;
}

static bool read_stretch(struct large *l, uint64_t at, uint64_t length, struct olv_error *err)
{
    olv_hasher_fill(l->worker->hasher, at);
    while (length) {
        size_t filled = l->job->plain.len, n = filled < FRAME_BYTES ? FRAME_BYTES - filled : 0;
        char *room;
        if (n == 0) {
            if (!next_frame(l, err) || make_is_interrupted(l->making, err))
                return false;
            continue;
        }
        n = n < length ? n : (size_t)length;
        room = olv_text_room(&l->job->plain, n);
        if (!room)
            return olv_fail_memory(err);
        if (!reading_at(l->taking.fd, room, n, at, err))
            return false;
        l->job->plain.len += n;
        olv_hasher_add(l->worker->hasher, room, n);
        at += n;
        length -= n;
        l->making->bytes += n;
        progress(l->making);
    }
    return true;
}

static bool put_header(struct large *l, struct olv_error *err)
{
    struct olv_member *m = &l->taking.member;
    struct olv_text *plain = &l->job->plain;
    m->is_sparse &= !is_zip(l->making);
    tar_put_member(plain, m);
    if (plain->failed)
        return olv_fail_memory(err);
    l->job->data_at = plain->len;
    olv_sha256(l->worker->hasher, plain->data, plain->len, l->header);
    return !is_zip(l->making) || zip_put_local(&l->job->head, m, plain->data, plain->len,
                                               plain->len + m->size_bytes > FRAME_BYTES, err);
}

static bool read_large(struct large *l, struct olv_error *err)
{
    struct olv_member *m = &l->taking.member;
    if (!put_header(l, err))
        return false;
    olv_hasher_begin(l->worker->hasher);
    if (!m->is_sparse && !read_stretch(l, 0, m->size_bytes, err))
        return false;
    for (size_t i = 0; m->is_sparse && i < m->extent_count; i++)
        if (!read_stretch(l, m->extents[i].at, m->extents[i].length, err))
            return false;
    olv_hasher_fill(l->worker->hasher, m->size_bytes);
    frame_job_end(l->job, !l->has_begun, true);
    tar_put_padding(&l->job->plain, tar_data_length(m));
    return take_is_unchanged(&l->taking, l->worker->reach.fd, l->entry, err);
}

static bool take_large(struct large *l, struct olv_error *err)
{
    struct making *m = l->making;
    olv_text_clear(&m->path);
    bundle_member_path(l->entry, &m->path);
    return (!m->path.failed || olv_fail_memory(err)) &&
           olv_reach_directory(&l->worker->reach, l->entry, err) &&
           take_begin(&l->taking, l->worker->reach.fd, l->entry, olv_text_string(&m->path), &l->worker->room,
                      err) &&
           (bundle_name_owner(l->worker, &l->taking.member, &l->arena) || olv_fail_memory(err)) &&
           next_frame(l, err) && read_large(l, err);
}

/* Cuts off what was written of it. */
static bool undo_large(struct making *m, size_t frame, uint64_t plain_at, struct olv_error *err)
{
    uint64_t length;
    if (!frames_drain(m->frames, err))
        return false;
    length = frames_cut(m->frames, frame);
    m->plain_at = plain_at;
    return (ftruncate(m->fresh.fd, (off_t)length) == 0 && lseek(m->fresh.fd, (off_t)length, SEEK_SET) >= 0) ||
           olv_fail_system(err, "", "cannot cut the archive");
}

static bool add_large(struct making *m, const struct olv_docket_entry *e, uint64_t sequence,
                      struct olv_error *err)
{
    struct large l = {.making = m, .entry = e, .worker = &m->workers[m->options.workers]};
    struct made_member made = {.sequence = sequence};
    struct olv_error why = {0};
    uint64_t plain_at, bytes = m->bytes;
    bool ok = make_drain(m, err);
    if (!ok)
        return false;
    made.frame = frames_written(m->frames)->count;
    made.at = plain_at = m->plain_at;
    l.taking.fd = -1;
    l.worker->room.arena = &l.arena;
    if (take_large(&l, &why)) {
        olv_hasher_end(l.worker->hasher, made.digest);
        made.has_header = made.has_digest = true;
        memcpy(made.header, l.header, sizeof made.header);
        made.was = l.taking.was;
        made.was_bytes = l.taking.was_bytes;
        made.member = &l.taking.member;
        set_clock(m, &e->identity, &made);
        frames_give(m->frames, l.job);
    } else {
        if (l.job)
            olv_text_clear(&l.job->plain);
        if (l.job)
            frames_give(m->frames, l.job);
        ok = undo_large(m, (size_t)made.frame, plain_at, err);
        m->bytes = bytes;
        made.error = &why;
    }
    if (ok)
        make_tell(m, &made);
    take_end(&l.taking);
    olv_arena_free(&l.arena);
    return ok;
}

/* ---- any file ---- */

/* Another name of a file that is in the archive; NULL if it is none. */
static bool find_link(struct making *m, const struct olv_docket_entry *e, uint64_t sequence,
                      const char **path, struct olv_error *err)
{
    enum link_state state;
    *path = NULL;
    if (e->identity.kind != OLV_KIND_FILE || e->links < 2 || is_zip(m))
        return true;
    state = links_find(m->links, e, path);
    if (state == LINK_PENDING) {
        if (!make_drain(m, err))
            return false;
        state = links_find(m->links, e, path);
    }
    if (state == LINK_KNOWN)
        return true;
    *path = NULL;
    olv_text_clear(&m->path);
    bundle_member_path(e, &m->path);
    return (!m->path.failed && links_add(m->links, e, sequence, olv_text_string(&m->path))) ||
           olv_fail_memory(err);
}

bool making_add(struct making *m, const struct olv_docket_entry *e, uint64_t sequence, struct olv_error *err)
{
    const char *hard_link;
    if (make_is_interrupted(m, err) || !find_link(m, e, sequence, &hard_link, err))
        return false;
    m->files++;
    if (e->identity.kind == OLV_KIND_FILE && !hard_link && bundle_space(e) > FRAME_BYTES)
        return add_large(m, e, sequence, err);
    m->bytes += e->identity.size_bytes;
    return add_small(m, e, sequence, hard_link, err);
}

/* ---- the end ---- */

static bool prove_progress(void *self, uint64_t plain_bytes)
{
    const struct making *m = self;
    (void)plain_bytes;
    progress(m);
    return !olv_observe_interrupted(m->options.observer);
}

bool making_finish(struct making *m, struct olv_error *err)
{
    struct frames_proof proof = {.self = m, .progress = prove_progress};
    if (!make_drain(m, err) || !ending_add(m->frames, m->manifest, m->options.codec, &m->manifest_frame, err))
        return false;
    return ending_prove(m->fresh.fd, m->frames, m->options.codec, m->options.workers, &proof, err);
}

struct fresh *making_file(struct making *m)
{
    return &m->fresh;
}

struct making_result making_result(const struct making *m)
{
    return (struct making_result){.members = m->members,
                                  .bytes = manifest_bytes(m->manifest),
                                  .length = frames_length(m->frames),
                                  .begun = manifest_time(m->manifest),
                                  .id = manifest_id(m->manifest),
                                  .manifest = manifest_digest(m->manifest),
                                  .frames = frames_written(m->frames),
                                  .manifest_frame = m->manifest_frame};
}
