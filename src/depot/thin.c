/* SPDX-License-Identifier: Apache-2.0 */
/* Unpacks frame after frame, cuts out what goes, and packs the rest again if anything was cut; so what stays
 * of a member keeps every byte. The catalogue says where members begin; first the frame is checked to be the
 * one archived. */
#include "depot/thin.h"

#include "archive/ending.h"
#include "archive/manifest_member.h"
#include "base/grow.h"
#include "depot/publish.h"
#include "depot/same.h"
#include "depot/unpacked.h"
#include "file/fresh.h"
#include "os/durable.h"
#include "os/files.h"
#include "os/os.h"
#include "pack/tar.h"

#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

/* A member of the old archive. */
struct placed {
    uint64_t at, new_at, new_frame; /* in the unpacked bytes */
    uint64_t begins, within;
    uint64_t twin_begins, twin_within; /* of a hard link: its contents */
    bool is_link, is_directory, goes, has_header;
    uint8_t header[OLV_SHA256_SIZE];
};

struct thinning {
    const struct thin_options *options;
    struct catalogue_known old;
    struct frame_list frames; /* of the old archive */
    struct placed *members;
    size_t count, cap;
    int fd;
    struct decoder *decoder;
    struct olv_text packed;
    struct fresh fresh;
    struct frames *writer;
    uint64_t new_at, new_frames; /* unpacked bytes and frames so far */
    struct manifest *manifest;
    struct catalogue_archive archive; /* the new one */
    int64_t row;                      /* its row; 0: none */
    struct catalogue_replaced going;  /* the old one */
    size_t new_manifest_frame;
    struct manifest_member line;
    uint64_t bytes; /* of the members that stay */
    uint64_t members_left;
    /* Reading the old manifest. */
    size_t next_frame;
    struct olv_text plain;
    struct olv_error error;
};

static bool thin_damaged(struct olv_error *err)
{
    return olv_fail(err, OLV_BROKEN, "the archive is not what the catalogue says, so it is left as it is");
}

/* ---- the members ---- */

static uint64_t plain_at(const struct thinning *t, uint64_t begins, uint64_t within)
{
    uint64_t at = 0;
    size_t low = 0, high = t->frames.count;
    if (t->old.codec == OLV_CODEC_NONE)
        return begins + within;
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (t->frames.items[middle].at < begins)
            low = middle + 1;
        else
            high = middle;
    }
    for (size_t i = 0; i < low; i++)
        at += t->frames.items[i].plain_length;
    return at + within;
}

static bool add_member(void *self, const struct olv_stored_file *f)
{
    struct thinning *t = self;
    struct placed *m;
    if (!grow(&t->members, t->count, &t->cap, sizeof *t->members))
        return olv_fail_memory(&t->error);
    m = &t->members[t->count++];
    *m = (struct placed){.begins = f->own_begins,
                         .within = f->own_within,
                         .twin_begins = f->begins,
                         .twin_within = f->within,
                         .is_link = *f->twin != '\0',
                         .is_directory = f->kind == OLV_KIND_DIRECTORY,
                         .has_header = f->own_header != NULL};
    if (m->has_header)
        memcpy(m->header, f->own_header, sizeof m->header);
    return true;
}

static int by_position(const void *a, const void *b)
{
    const struct placed *x = a, *y = b;
    if (x->begins != y->begins)
        return x->begins < y->begins ? -1 : 1;
    return x->within < y->within ? -1 : x->within > y->within;
}

/* Members are ordered by position. */
static struct placed *thin_find(const struct thinning *t, uint64_t begins, uint64_t within)
{
    const struct placed wanted = {.begins = begins, .within = within};
    return t->count ? bsearch(&wanted, t->members, t->count, sizeof wanted, by_position) : NULL;
}

/* Marks what goes: everything requested, except contents that remaining hard links need. */
static bool mark(struct thinning *t, struct olv_error *err)
{
    const struct thin_options *o = t->options;
    for (size_t i = 0; i < o->count; i++) {
        struct placed *m = thin_find(t, o->gone[i].begins, o->gone[i].within);
        if (!m)
            return thin_damaged(err);
        m->goes = true;
    }
    for (size_t i = 0; i < t->count; i++) {
        struct placed *m = &t->members[i], *twin;
        if (!m->is_link || m->goes)
            continue;
        twin = thin_find(t, m->twin_begins, m->twin_within);
        if (twin)
            twin->goes = false;
    }
    for (size_t i = 0; i < o->count; i++)
        o->gone[i].stays = !thin_find(t, o->gone[i].begins, o->gone[i].within)->goes;
    return true;
}

static bool is_anything_left(const struct thinning *t)
{
    for (size_t i = 0; i < t->count; i++)
        if (!t->members[i].goes && !t->members[i].is_directory)
            return true;
    return false;
}

static bool know(struct thinning *t, struct olv_error *err)
{
    const struct thin_options *o = t->options;
    if (!catalogue_find_archive(o->catalogue, o->depot_path, o->name, &t->old, err))
        return false;
    if (t->old.row == 0 || memcmp(t->old.id, o->id, ARCHIVE_ID) != 0)
        return olv_fail(err, OLV_CHANGED, "the catalogue does not know its archive any more");
    if (!catalogue_frames(o->catalogue, t->old.row, &t->frames, err) ||
        !catalogue_each_member(o->catalogue, t->old.row, add_member, t, err))
        return false;
    if (t->error.code != OLV_OK) {
        *err = t->error;
        return false;
    }
    for (size_t i = 0; i < t->count; i++)
        t->members[i].at = plain_at(t, t->members[i].begins, t->members[i].within);
    return mark(t, err);
}

/* ---- the old bytes ---- */

/* Appends the unpacked bytes of a frame to `out`. */
static bool read_frame(struct thinning *t, size_t number, struct olv_text *out, struct olv_error *err)
{
    return unpacked_frame(t->fd, &t->frames.items[number], t->decoder, &t->packed, out, err) ||
           (err->code == OLV_BROKEN && thin_damaged(err));
}

/* ---- cutting ---- */

struct cutting {
    size_t member;        /* the next one that begins */
    bool is_going;        /* whether the current bytes go */
    uint64_t plain_begin; /* of the current frame */
};

/* Moves what stays of a frame to its front. */
static void thin_cut(struct thinning *t, struct cutting *c, struct olv_text *plain)
{
    size_t kept = 0, from = 0, len = plain->len;
    while (from < len) {
        const struct placed *next = c->member < t->count ? &t->members[c->member] : NULL;
        size_t to = next && next->at < c->plain_begin + len ? (size_t)(next->at - c->plain_begin) : len;
        if (!c->is_going) {
            memmove(plain->data + kept, plain->data + from, to - from);
            kept += to - from;
        }
        from = to;
        if (to == len)
            break;
        c->is_going = next->goes;
        t->members[c->member].new_at = t->new_at + kept;
        t->members[c->member].new_frame = t->new_frames;
        c->member++;
    }
    plain->len = kept;
    c->plain_begin += len;
}

/* Whether its compressed bytes are as written, too. */
static bool is_as_written(const struct thinning *t, const struct frame *frame)
{
    return t->old.codec == OLV_CODEC_NONE ||
           frame_check(olv_text_string(&t->packed), frame->length) == frame->packed_check;
}

/* Copies a frame from which nothing goes; a zip frame goes or stays as a whole. */
static bool copy_frame(struct thinning *t, struct cutting *c, size_t number, struct olv_error *err)
{
    const struct frame *frame = &t->frames.items[number];
    bool is_plain = t->old.codec == OLV_CODEC_NONE, ok;
    struct frame_job *job = NULL;
    if (olv_observe_interrupted(t->options->observer))
        return olv_fail(err, OLV_INTERRUPTED, "interrupted");
    olv_text_clear(&t->plain);
    if (!read_frame(t, number, &t->plain, err))
        return false;
    thin_cut(t, c, &t->plain);
    t->new_at += t->plain.len;
    t->new_frames += t->plain.len > 0;
    if (t->plain.len == 0)
        return true;
    if (t->plain.len == frame->plain_length && is_as_written(t, frame))
        return frames_copy(t->writer, is_plain ? t->plain.data : t->packed.data, frame, err);
    if (t->old.codec == OLV_CODEC_ZIP)
        return thin_damaged(err);
    job = frames_next(t->writer, err);
    if (!job)
        return false;
    olv_text_add(&job->plain, t->plain.data, t->plain.len);
    ok = !job->plain.failed || olv_fail_memory(err);
    frames_give(t->writer, job);
    return ok;
}

static bool copy_frames(struct thinning *t, struct olv_error *err)
{
    struct cutting c = {0};
    for (size_t i = 0; i < t->old.manifest_frame && i < t->frames.count; i++)
        if (!copy_frame(t, &c, i, err))
            return false;
    return c.member == t->count ? frames_drain(t->writer, err) : thin_damaged(err);
}

/* ---- the manifest ---- */

static bool thin_next_bytes(void *self, const uint8_t **bytes, size_t *len, struct olv_error *err)
{
    struct thinning *t = self;
    olv_text_clear(&t->plain);
    if (t->next_frame < t->frames.count && !read_frame(t, t->next_frame++, &t->plain, err))
        return false;
    *bytes = (const uint8_t *)olv_text_string(&t->plain);
    *len = t->plain.len;
    return true;
}

static bool take_head(struct thinning *t, json_t *line, struct olv_error *err)
{
    olv_json_string(line, "rewritten_by", t->options->run);
    olv_json_instant(line, "rewritten", olv_os_now());
    t->manifest = manifest_like(line, err);
    return t->manifest != NULL;
}

static int by_plain_place(const void *a, const void *b)
{
    const struct placed *x = a, *y = b;
    return x->at < y->at ? -1 : x->at > y->at;
}

static bool thin_take_member(struct thinning *t, json_t *line, struct olv_error *err)
{
    const struct placed wanted = {.at = olv_json_get_number(line, "at")},
                        *m = t->count ? bsearch(&wanted, t->members, t->count, sizeof wanted, by_plain_place)
                                      : NULL;
    if (!m)
        return thin_damaged(err);
    if (m->goes)
        return true;
    olv_json_number(line, "frame", m->new_frame);
    olv_json_number(line, "at", m->new_at);
    manifest_put(t->manifest, line, m->header);
    t->members_left++;
    t->bytes += olv_json_get_number(line, "size");
    if (!m->has_header || !manifest_member_read(&t->line, line))
        return thin_damaged(err);
    t->line.made.has_header = true;
    memcpy(t->line.made.header, m->header, sizeof m->header);
    return catalogue_put_member(t->options->catalogue, t->row, &t->line.made, err);
}

/* Lines about frames and totals are written anew. */
static bool thin_take_line(void *self, const char *text, size_t len, struct olv_error *err)
{
    struct thinning *t = self;
    json_t *line = json_loadb(text, len, 0, NULL);
    bool ok = line != NULL || thin_damaged(err);
    if (ok && !t->manifest)
        ok = take_head(t, line, err);
    else if (ok && json_object_get(line, "path"))
        ok = thin_take_member(t, line, err);
    json_decref(line);
    return ok;
}

static bool copy_manifest(struct thinning *t, struct olv_error *err)
{
    struct byte_stream stream = {t, thin_next_bytes};
    struct tar_reader *tar = tar_reader_new(&stream, 0);
    struct olv_member member;
    bool ok = tar != NULL || olv_fail_memory(err);
    t->next_frame = t->old.manifest_frame;
    ok = ok && (tar_next(tar, &member, err) || thin_damaged(err)) &&
         manifest_lines(tar, thin_take_line, t, err);
    tar_reader_free(tar);
    return ok && (t->manifest || thin_damaged(err)) &&
           ending_add(t->writer, t->manifest, t->old.codec, &t->new_manifest_frame, err);
}

/* ---- the new archive ---- */

static bool thin_put(void *self, const void *bytes, size_t len, struct olv_error *err)
{
    struct thinning *t = self;
    return olv_write_all(t->fresh.fd, bytes, len) || olv_fail_system(err, "", "cannot write the new archive");
}

/* "a.tar.zst" becomes "a.r2.tar.zst", and that "a.r3.tar.zst". */
static void name_next(const char *old, unsigned more, char out[NAME_MAX + 1])
{
    size_t stem = strlen(old), end;
    unsigned number = 1;
    olv_pack_of_name(old, &stem);
    for (end = stem; end > 0 && old[end - 1] >= '0' && old[end - 1] <= '9';)
        end--;
    if (end < stem && end > 2 && old[end - 1] == 'r' && old[end - 2] == '.') {
        number = (unsigned)strtoul(old + end, NULL, 10);
        end -= 2;
    } else {
        end = stem;
    }
    snprintf(out, NAME_MAX + 1, "%.*s.r%u%s", (int)end, old, number + 1 + more, old + stem);
}

static bool open_old(struct thinning *t, struct olv_error *err)
{
    const struct thin_options *o = t->options;
    t->fd = olv_os_open_file(o->dir, o->name);
    if (t->fd < 0)
        return olv_fail_system(err, o->name, "cannot open the archive");
    t->going.archive = t->old.row;
    t->going.manner = o->manner;
    return olv_os_stat(t->fd, "", &t->going.file) ||
           olv_fail_system(err, o->name, "cannot look at the archive");
}

static bool write_new(struct thinning *t, struct olv_error *err)
{
    const struct thin_options *o = t->options;
    struct frames_sink sink = {t, thin_put, NULL};
    struct frames_proof proof = {0};
    unsigned workers = olv_os_cpus();
    t->decoder = t->old.codec == OLV_CODEC_NONE ? NULL : decoder_new(t->old.codec);
    if (t->old.codec != OLV_CODEC_NONE && !t->decoder)
        return olv_fail_memory(err);
    if (!fresh_open(&t->fresh, o->dir, o->label, err) ||
        !(t->writer = frames_new(t->old.codec, olv_codec_levels(t->old.codec).usual, workers, &sink, err)))
        return false;
    return copy_frames(t, err) && copy_manifest(t, err) &&
           ending_prove(t->fresh.fd, t->writer, t->old.codec, workers, &proof, err);
}

static bool begin_new(struct thinning *t, struct olv_error *err)
{
    const struct thin_options *o = t->options;
    char temporary[FRESH_LABEL + 32];
    fresh_name(o->label, temporary);
    t->archive = (struct catalogue_archive){.depot = t->old.depot,
                                            .depot_path = o->depot_path,
                                            .run = t->old.run,
                                            .rule = t->old.rule,
                                            .codec = t->old.codec,
                                            .made = t->old.made};
    t->row = catalogue_make(o->catalogue, &t->archive, temporary, err);
    return t->row != 0;
}

static bool thin_replace(struct thinning *t, char into[NAME_MAX + 1], struct olv_error *err)
{
    const struct thin_options *o = t->options;
    struct catalogue_archive *a = &t->archive;
    struct olv_error ignored = {0};
    bool ok = begin_new(t, err) && write_new(t, err) &&
              depot_publish(o->catalogue, t->row, &t->fresh, name_next, o->name, into, err);
    if (ok) {
        a->name = into;
        a->length = frames_length(t->writer);
        a->members = t->members_left;
        a->bytes = t->bytes;
        a->manifest_frame = t->new_manifest_frame;
        memcpy(a->id, manifest_id(t->manifest), sizeof a->id);
        memcpy(a->manifest, manifest_digest(t->manifest), sizeof a->manifest);
        ok = catalogue_publish(o->catalogue, t->row, a, frames_written(t->writer), &t->going, err);
    }
    if (ok)
        return true;
    /* What cannot be removed now stays `making`, and a later run clears it. */
    if ((!*into || depot_take_back(&t->fresh, into)) && t->row)
        catalogue_forget(o->catalogue, t->row, &ignored);
    into[0] = '\0';
    return false;
}

/* Nothing of it is read on the way, so it is compared as a whole. */
static bool let_go_whole(const struct thinning *t, struct olv_error *err)
{
    struct olv_catalogue *catalogue = t->options->catalogue;
    return same_archive(catalogue, t->old.row, t->fd, err) && catalogue_let_go(catalogue, &t->going, err);
}

bool thin_archive(const struct thin_options *o, char into[NAME_MAX + 1], int64_t *going,
                  struct olv_error *err)
{
    struct thinning *t = calloc(1, sizeof *t);
    bool ok;
    into[0] = '\0';
    if (!t)
        return olv_fail_memory(err);
    t->options = o;
    t->fd = t->fresh.fd = -1;
    ok = know(t, err) && open_old(t, err);
    if (ok)
        ok = is_anything_left(t) ? thin_replace(t, into, err) : let_go_whole(t, err);
    *going = t->old.row;
    frames_free(t->writer);
    fresh_close(&t->fresh);
    manifest_free(t->manifest);
    manifest_member_free(&t->line);
    decoder_free(t->decoder);
    olv_os_close(t->fd);
    frame_list_free(&t->frames);
    olv_text_free(&t->packed);
    olv_text_free(&t->plain);
    free(t->members);
    free(t);
    return ok;
}
