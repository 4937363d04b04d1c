/* SPDX-License-Identifier: Apache-2.0 */
/* An archive is read from its beginning to its end, once: the manifest comes last and says everything about
 * the members; where the frames lie, and what is in them, is found by reading. What the manifest says of
 * frames is compared with that. */
#include "olvido/depot_care.h"

#include "archive/manifest_member.h"
#include "base/arena.h"
#include "depot/catalogue.h"
#include "file/reading.h"
#include "olvido/json.h"
#include "os/os.h"
#include "pack/frames.h"
#include "pack/tar.h"
#include "pack/zip.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { STEP = 256 << 10, LARGEST_FRAME = 32 << 20 };

struct rebuilding {
    struct olv_catalogue *catalogue;
    const char *depot, *path;
    int dir, fd;
    void (*fault)(void *self, const struct olv_depot_fault *fault);
    void *self;
    const struct olv_observer *observer;
    struct olv_depot_report *report;
    const char *name; /* of the archive under way */
    /* Reading it. */
    enum olv_codec codec;
    struct decoder *decoder;
    struct decoder_io io;
    uint8_t packed[STEP];
    uint64_t read_at, size;
    struct olv_text plain; /* the frame read last */
    struct frame_list frames;
    /* What its manifest says. */
    struct catalogue_archive archive;
    struct olv_text run, rule;
    bool has_begun, has_ended;
    size_t manifest_frame;
    struct manifest_member member;
};

/* ---- frames, one after the other ---- */

static bool refill(struct rebuilding *r, struct olv_error *err)
{
    uint64_t left = r->size - r->read_at;
    size_t len = left < STEP ? (size_t)left : STEP;
    if (r->io.in_len)
        return true;
    if (!reading_at(r->fd, r->packed, len, r->read_at, err))
        return false;
    r->io.in = r->packed;
    r->io.in_len = len;
    r->read_at += len;
    return true;
}

static bool add_frame(struct rebuilding *r, uint64_t begins, uint64_t ends, struct olv_error *err)
{
    struct frame f = {begins, (uint32_t)(ends - begins), (uint32_t)r->plain.len,
                      frame_check(olv_text_string(&r->plain), r->plain.len)};
    return frame_list_add(&r->frames, f) || olv_fail_memory(err);
}

/* The next frame, into `plain`; it stays empty at the end. */
static bool next_frame(struct rebuilding *r, struct olv_error *err)
{
    uint64_t begins = r->read_at - r->io.in_len;
    enum decoded now = DECODED_MORE;
    olv_text_clear(&r->plain);
    if (begins == r->size)
        return true;
    while (now == DECODED_MORE) {
        size_t before, room;
        if (!refill(r, err))
            return false;
        before = r->io.in_len;
        if (r->plain.len + STEP > LARGEST_FRAME)
            return olv_fail(err, OLV_BROKEN, "a frame is larger than any of ours");
        if (!olv_text_room(&r->plain, STEP))
            return olv_fail_memory(err);
        room = r->plain.cap - r->plain.len - 1;
        r->io.out = (uint8_t *)r->plain.data + r->plain.len;
        r->io.out_len = room;
        now = decoder_run(r->decoder, &r->io, err);
        r->plain.len += room - r->io.out_len;
        if (now == DECODED_BROKEN)
            return false;
        if (now == DECODED_MORE && r->io.in_len == before && r->io.out_len == room && r->read_at == r->size)
            return olv_fail(err, OLV_BROKEN, "it ends too early");
    }
    return r->plain.len == 0 || add_frame(r, begins, r->read_at - r->io.in_len, err);
}

/* Without a codec, the frames are what the manifest says; until then, any pieces do. */
static bool next_piece(struct rebuilding *r, struct olv_error *err)
{
    olv_text_clear(&r->plain);
    r->io.in_len = 0;
    if (!refill(r, err))
        return false;
    olv_text_add(&r->plain, r->io.in, r->io.in_len);
    return !r->plain.failed || olv_fail_memory(err);
}

static bool next_bytes(void *self, const uint8_t **bytes, size_t *len, struct olv_error *err)
{
    struct rebuilding *r = self;
    if (!(r->codec == OLV_CODEC_NONE ? next_piece(r, err) : next_frame(r, err)))
        return false;
    *bytes = (const uint8_t *)olv_text_string(&r->plain);
    *len = r->plain.len;
    olv_observe_progress(r->observer, (struct olv_progress){.doing = "reading",
                                                            .files = r->report->archives,
                                                            .bytes = r->report->bytes + r->read_at});
    return !olv_observe_interrupted(r->observer) || olv_fail(err, OLV_INTERRUPTED, "interrupted");
}

/* ---- the manifest ---- */

static bool senseless(struct olv_error *err)
{
    return olv_fail(err, OLV_BROKEN, "its manifest makes no sense");
}

static bool take_head(struct rebuilding *r, const json_t *json, struct olv_error *err)
{
    if (strcmp(manifest_string(json, "olvido"), "archive") != 0 || olv_json_get_number(json, "version") != 1)
        return olv_fail(err, OLV_BROKEN, "its manifest is of a kind that this version does not know");
    olv_text_clear(&r->run);
    olv_text_clear(&r->rule);
    olv_text_puts(&r->run, manifest_string(json, "run"));
    olv_text_puts(&r->rule, manifest_string(json, "rule"));
    r->has_begun = true;
    return manifest_instant(json, "made", &r->archive.made) || senseless(err);
}

static bool take_member(struct rebuilding *r, const json_t *json, struct olv_error *err)
{
    struct manifest_member *m = &r->member;
    bool ok =
        manifest_member_read(m, json) ? catalogue_put_member(r->catalogue, &m->made, err) : senseless(err);
    r->archive.members++;
    r->archive.bytes += m->member.size_bytes;
    return ok;
}

static bool take_frame(struct rebuilding *r, const json_t *json, struct olv_error *err)
{
    struct frame said = {olv_json_get_number(json, "begins"), (uint32_t)olv_json_get_number(json, "length"),
                         (uint32_t)olv_json_get_number(json, "plain"),
                         strtoull(manifest_string(json, "check"), NULL, 16)};
    size_t number = (size_t)olv_json_get_number(json, "frame");
    const struct frame *read = number < r->frames.count ? &r->frames.items[number] : NULL;
    r->manifest_frame = number + 1;
    if (r->codec == OLV_CODEC_NONE)
        return number == r->frames.count ? frame_list_add(&r->frames, said) || olv_fail_memory(err)
                                         : senseless(err);
    return (read && read->at == said.at && read->length == said.length &&
            read->plain_length == said.plain_length && read->check == said.check) ||
           olv_fail(err, OLV_BROKEN, "frame %zu is not what the manifest says", number);
}

static bool take_line(void *self, const char *line, size_t len, struct olv_error *err)
{
    struct rebuilding *r = self;
    json_t *json = json_loadb(line, len, 0, NULL);
    bool ok;
    if (!json)
        return senseless(err);
    if (!r->has_begun)
        ok = take_head(r, json, err);
    else if (json_object_get(json, "path"))
        ok = take_member(r, json, err);
    else if (json_object_get(json, "begins"))
        ok = take_frame(r, json, err);
    else
        ok = r->has_ended = json_object_get(json, "members") != NULL &&
                            olv_json_get_number(json, "members") == r->archive.members;
    if (!ok && err->code == OLV_OK)
        senseless(err);
    json_decref(json);
    return ok;
}

static bool read_manifest(struct rebuilding *r, struct tar_reader *tar, struct olv_error *err)
{
    return manifest_lines(tar, take_line, r, err) && (r->has_ended || senseless(err));
}

/* ---- an archive ---- */

static bool is_manifest(const struct olv_member *m)
{
    return strcmp(m->path, ARCHIVE_MANIFEST) == 0;
}

static bool read_archive(struct rebuilding *r, struct olv_error *err)
{
    struct byte_stream stream = {r, next_bytes};
    struct tar_reader *tar = tar_reader_new(&stream, 0);
    struct olv_member m;
    bool ok = tar != NULL || olv_fail_memory(err);
    while (ok && !r->has_ended && tar_next(tar, &m, err))
        ok = !is_manifest(&m) || read_manifest(r, tar, err);
    /* To the end: the frames of the manifest are frames, too. */
    while (ok && err->code == OLV_OK && r->has_ended && r->codec != OLV_CODEC_NONE &&
           r->read_at - r->io.in_len < r->size)
        ok = next_frame(r, err);
    tar_reader_free(tar);
    if (ok && err->code == OLV_OK && !r->has_ended)
        ok = olv_fail(err, OLV_BROKEN, "it has no manifest: it is no archive of ours");
    return ok && err->code == OLV_OK;
}

/* Without a codec the manifest's own bytes are one more frame. */
static bool add_last_frame(struct rebuilding *r, struct olv_error *err)
{
    const struct frame *last = r->frames.count ? &r->frames.items[r->frames.count - 1] : NULL;
    uint64_t at = last ? last->at + last->length : 0;
    if (r->codec != OLV_CODEC_NONE)
        return true;
    while (at < r->size) {
        uint64_t left = r->size - at;
        size_t len = left < FRAME_BYTES ? (size_t)left : FRAME_BYTES;
        char *room;
        olv_text_clear(&r->plain);
        room = olv_text_room(&r->plain, len);
        if (!room)
            return olv_fail_memory(err);
        if (!reading_at(r->fd, room, len, at, err))
            return false;
        r->plain.len = len;
        if (!add_frame(r, at, at + len, err))
            return false;
        at += len;
    }
    return true;
}

/* A zip archive's directory comes behind all frames. */
static bool leave_directory(struct rebuilding *r, struct olv_error *err)
{
    struct pack_source source = {&r->fd, reading_source, r->size};
    struct zip_reader *zip = zip_reader_new(&source, err);
    if (zip)
        r->size = zip_directory_at(zip);
    zip_reader_free(zip);
    return zip != NULL;
}

static bool begin_archive(struct rebuilding *r, struct olv_error *err)
{
    struct olv_stat stat;
    r->fd = openat(r->dir, r->name, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC);
    if (r->fd < 0 || !olv_os_stat(r->fd, "", &stat))
        return olv_fail_system(err, r->name, "cannot open it");
    r->size = stat.size_bytes;
    r->read_at = 0;
    r->io = (struct decoder_io){.in = NULL};
    r->frames = (struct frame_list){0};
    r->has_begun = r->has_ended = false;
    r->manifest_frame = 0;
    r->codec = olv_pack_of_name(r->name, NULL);
    r->decoder = r->codec == OLV_CODEC_NONE ? NULL : decoder_new(r->codec);
    if (r->codec != OLV_CODEC_NONE && !r->decoder)
        return olv_fail_memory(err);
    if (r->codec == OLV_CODEC_ZIP && !leave_directory(r, err))
        return false;
    r->archive = (struct catalogue_archive){.depot = r->depot,
                                            .depot_path = r->path,
                                            .name = r->name,
                                            .codec = r->codec,
                                            .length = stat.size_bytes};
    return true;
}

static bool rebuild_archive(struct rebuilding *r, struct olv_error *err)
{
    bool ok = begin_archive(r, err) && catalogue_begin(r->catalogue, err) && read_archive(r, err) &&
              add_last_frame(r, err);
    r->archive.run = olv_text_string(&r->run);
    r->archive.rule = olv_text_string(&r->rule);
    r->archive.manifest_frame = r->manifest_frame;
    ok = ok && catalogue_end(r->catalogue, &r->archive, &r->frames, err);
    catalogue_abandon(r->catalogue);
    decoder_free(r->decoder);
    r->decoder = NULL;
    frame_list_free(&r->frames);
    if (r->fd >= 0)
        close(r->fd);
    r->report->bytes += r->size;
    return ok;
}

/* ---- the depot ---- */

static bool is_archive_name(const char *name)
{
    return name[0] != '.' && olv_pack_of_name(name, NULL) != OLV_CODEC_COUNT;
}

static int by_name(const void *a, const void *b)
{
    const char *const *x = a, *const *y = b;
    return strcmp(*x, *y);
}

/* All names of archives in the directory, in order; NULL at the end. */
static char **list_archives(int dir, struct olv_arena *arena, size_t *count, struct olv_error *err)
{
    enum { BUFFER = 32768 };
    char *buffer = malloc(BUFFER), **names = NULL;
    struct olv_os_listing listing;
    struct olv_os_name entry;
    bool is_listed = buffer && olv_os_list_begin(&listing, dir), ok = is_listed;
    ssize_t got = 0;
    *count = 0;
    while (ok && (got = olv_os_list_read(&listing, buffer, BUFFER)) > 0)
        for (size_t at = 0; ok && olv_os_next_name(buffer, (size_t)got, &at, &entry);) {
            char **grown;
            if (!is_archive_name(entry.name))
                continue;
            grown = realloc(names, (*count + 1) * sizeof *names);
            ok = grown && (grown[*count] = olv_arena_copy(arena, entry.name, entry.len));
            names = grown ? grown : names;
            *count += ok;
        }
    if (is_listed)
        olv_os_list_end(&listing);
    free(buffer);
    if (!ok || got < 0)
        olv_fail_system(err, "", "cannot read the directory of the depot");
    if (names)
        qsort(names, *count, sizeof *names, by_name);
    return names;
}

struct forgetting {
    struct olv_catalogue *catalogue;
    const char *depot;
    int64_t id; /* of one of its archives; 0: there is none */
};

static bool find_one(void *self, const struct olv_stored_archive *archive)
{
    struct forgetting *f = self;
    if (strcmp(archive->depot, f->depot) == 0)
        f->id = archive->id;
    return f->id == 0;
}

/* What was known of the depot. */
static bool forget_all(struct olv_catalogue *catalogue, const char *depot, struct olv_error *err)
{
    struct forgetting f = {catalogue, depot, 0};
    for (;;) {
        f.id = 0;
        if (!olv_catalogue_archives(catalogue, find_one, &f, err))
            return false;
        if (f.id == 0)
            return true;
        if (!catalogue_forget(catalogue, f.id, err))
            return false;
    }
}

static bool rebuild_all(struct rebuilding *r, struct olv_error *err)
{
    struct olv_arena arena = {0};
    size_t count;
    char **names = list_archives(r->dir, &arena, &count, err);
    bool ok = err->code == OLV_OK && forget_all(r->catalogue, r->depot, err);
    for (size_t i = 0; ok && i < count; i++) {
        struct olv_error why = {0};
        r->name = names[i];
        r->report->archives++;
        if (rebuild_archive(r, &why)) {
            r->report->members += r->archive.members;
            continue;
        }
        ok = why.code != OLV_INTERRUPTED && why.code != OLV_STATE && why.code != OLV_MEMORY;
        if (!ok)
            *err = why;
        r->report->damaged_archives++;
        r->fault(r->self, &(struct olv_depot_fault){r->depot, r->name, why.what, ""});
    }
    free(names);
    olv_arena_free(&arena);
    return ok;
}

/* A catalogue that cannot be read is set aside, not lost. */
static struct olv_catalogue *open_or_begin_anew(const char *state, struct olv_error *err)
{
    struct olv_catalogue *catalogue = catalogue_open(state, true, err);
    char path[PATH_MAX], aside[PATH_MAX];
    if (catalogue ? catalogue_is_sound(catalogue) : err->code != OLV_STATE)
        return catalogue;
    olv_catalogue_close(catalogue);
    snprintf(path, sizeof path, "%.4000s/catalogue.db", state);
    snprintf(aside, sizeof aside, "%.4000s/catalogue.db.set-aside", state);
    if (rename(path, aside) != 0)
        return NULL;
    olv_error_clear(err);
    return catalogue_open(state, true, err);
}

bool olv_depot_rebuild(const char *state, const char *depot, const char *path,
                       void (*fault)(void *self, const struct olv_depot_fault *fault), void *self,
                       const struct olv_observer *observer, struct olv_depot_report *report,
                       struct olv_error *err)
{
    struct rebuilding *r = calloc(1, sizeof *r);
    bool ok = true;
    *report = (struct olv_depot_report){0};
    if (!r)
        return olv_fail_memory(err);
    r->depot = depot;
    r->path = path;
    r->fault = fault;
    r->self = self;
    r->observer = observer;
    r->report = report;
    r->dir = olv_os_open_path(path);
    if (r->dir < 0)
        ok = olv_fail_system(err, path, "cannot open the depot");
    ok = ok && (r->catalogue = open_or_begin_anew(state, err)) && rebuild_all(r, err);
    olv_catalogue_close(r->catalogue);
    if (r->dir >= 0)
        close(r->dir);
    olv_text_free(&r->plain);
    manifest_member_free(&r->member);
    olv_text_free(&r->run);
    olv_text_free(&r->rule);
    free(r);
    return ok;
}
