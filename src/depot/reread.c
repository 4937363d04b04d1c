/* SPDX-License-Identifier: Apache-2.0 */
/* Frames are read from the beginning to the end. Where one is damaged, reading goes on where the next one
 * begins. One of the last holds the manifest, which says everything about the members, and where frames lie
 * and what they hold: those that were read are compared with that, and those that could not be read are known
 * from it. Without a codec nothing tells frames apart but the manifest, which is looked for from the end. */
#include "depot/reread.h"

#include "archive/manifest_member.h"
#include "file/reading.h"
#include "os/os.h"
#include "pack/frame_reader.h"
#include "pack/frames.h"
#include "pack/tar.h"
#include "pack/zip.h"

#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { PIECE = 256 << 10 };

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
    struct olv_text run, rule;
    bool has_begun, has_ended;
    struct manifest_member member;
};

static void tell(struct reading *r, const char *what)
{
    r->result->is_damaged = true;
    r->options->fault(r->options->self, &(struct olv_depot_fault){r->options->depot, r->name, what, ""});
}

static bool observe(const struct reading *r, struct olv_error *err)
{
    const struct reread_options *o = r->options;
    olv_observe_progress(
        o->observer,
        (struct olv_progress){.doing = "reading", .files = o->archives, .bytes = o->bytes + r->at});
    return !olv_observe_interrupted(o->observer) || olv_fail(err, OLV_INTERRUPTED, "interrupted");
}

/* ---- frames ---- */

/* Reads the one at hand into `plain`; nothing at the end. */
static bool read_frame(struct reading *r, struct olv_error *err)
{
    struct frame f = {.at = r->at};
    uint64_t length = 0;
    olv_text_clear(&r->plain);
    if (!observe(r, err))
        return false;
    if (r->at == r->source.size)
        return true;
    if (!frame_reader_read(r->reader, &r->source, r->at, &r->plain, &length, err) ||
        !frame_check_stretch(&r->source, r->at, r->at + length, &f.packed_check, err))
        return false;
    r->at += length;
    f.length = (uint32_t)length;
    f.plain_length = (uint32_t)r->plain.len;
    f.check = frame_check(olv_text_string(&r->plain), r->plain.len);
    return r->plain.len == 0 || frame_list_add(&r->read, f) || olv_fail_memory(err);
}

static bool read_piece(struct reading *r, struct olv_error *err)
{
    uint64_t left = r->at < r->source.size ? r->source.size - r->at : 0;
    size_t len = left < PIECE ? (size_t)left : PIECE;
    char *room;
    olv_text_clear(&r->plain);
    room = olv_text_room(&r->plain, len);
    if (!room)
        return olv_fail_memory(err);
    if (!observe(r, err) || !pack_read(&r->source, room, len, r->at, err))
        return false;
    r->plain.len = len;
    r->at += len;
    return true;
}

/* For the tar reader: what was read already, and then what follows. */
static bool next_bytes(void *self, const uint8_t **bytes, size_t *len, struct olv_error *err)
{
    struct reading *r = self;
    if (r->is_given && !(r->codec == OLV_CODEC_NONE ? read_piece(r, err) : read_frame(r, err)))
        return false;
    r->is_given = true;
    *bytes = (const uint8_t *)olv_text_string(&r->plain);
    *len = r->plain.len;
    return true;
}

/* ---- the manifest ---- */

static bool senseless(struct olv_error *err)
{
    return olv_fail(err, OLV_BROKEN, "its manifest makes no sense");
}

static bool take_head(struct reading *r, const json_t *json, struct olv_error *err)
{
    if (strcmp(manifest_string(json, "olvido"), "archive") != 0 || olv_json_get_number(json, "version") != 1)
        return olv_fail(err, OLV_BROKEN, "its manifest is of a kind that this version does not know");
    olv_text_puts(&r->run, manifest_string(json, "run"));
    olv_text_puts(&r->rule, manifest_string(json, "rule"));
    r->has_begun = true;
    return manifest_instant(json, "made", &r->archive.made) || senseless(err);
}

static bool take_member(struct reading *r, const json_t *json, struct olv_error *err)
{
    struct manifest_member *m = &r->member;
    r->archive.members++;
    if (!manifest_member_read(m, json))
        return senseless(err);
    r->archive.bytes += m->member.size_bytes;
    return catalogue_put_member(r->options->catalogue, &m->made, err);
}

static bool take_frame(struct reading *r, const json_t *json, struct olv_error *err)
{
    struct frame said = {olv_json_get_number(json, "begins"), (uint32_t)olv_json_get_number(json, "length"),
                         (uint32_t)olv_json_get_number(json, "plain"),
                         strtoull(manifest_string(json, "check"), NULL, 16),
                         strtoull(manifest_string(json, "packed_check"), NULL, 16)};
    return olv_json_get_number(json, "frame") == r->said.count
               ? frame_list_add(&r->said, said) || olv_fail_memory(err)
               : senseless(err);
}

static bool take_line(void *self, const char *line, size_t len, struct olv_error *err)
{
    struct reading *r = self;
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

/* Nothing does, unless somebody has joined archives. Of packed ones the end is compared later. */
static bool tell_what_follows(struct reading *r, struct tar_reader *tar, struct olv_error *err)
{
    struct olv_member m;
    if (r->codec == OLV_CODEC_ZIP) /* which has no mark of the end */
        return true;
    if (tar_next(tar, &m, err))
        tell(r, "another archive stands behind its end");
    else if (err->code == OLV_BROKEN && r->codec == OLV_CODEC_NONE)
        tell(r, err->what);
    if (err->code == OLV_BROKEN)
        olv_error_clear(err);
    return err->code == OLV_OK;
}

/* What was read last begins with a member: when it is the manifest, all of it is read. */
static bool try_manifest(struct reading *r, uint64_t at, struct olv_error *err)
{
    struct byte_stream stream = {r, next_bytes};
    struct tar_reader *tar;
    struct olv_member m;
    bool ok = true;
    r->is_given = false;
    tar = tar_reader_new(&stream, r->codec == OLV_CODEC_NONE ? at : 0);
    if (!tar)
        return olv_fail_memory(err);
    if (tar_next(tar, &m, err) && strcmp(m.path, ARCHIVE_MANIFEST) == 0) {
        r->manifest_at = at;
        ok = manifest_lines(tar, take_line, r, err) && (r->has_ended || senseless(err)) &&
             tell_what_follows(r, tar, err);
    } else if (err->code == OLV_BROKEN) { /* what follows is damaged: so it is found there, too */
        olv_error_clear(err);
    }
    tar_reader_free(tar);
    return ok && err->code == OLV_OK;
}

/* ---- finding it in a packed archive ---- */

/* Its name stands in the first blocks, or it is another member. */
static bool may_be_manifest(const struct olv_text *plain)
{
    enum { BLOCKS = 8 };
    const char *bytes = olv_text_string(plain);
    for (size_t at = 0; at < (size_t)BLOCKS * TAR_BLOCK && at + TAR_BLOCK <= plain->len; at += TAR_BLOCK)
        if (strncmp(bytes + at, ARCHIVE_MANIFEST, TAR_BLOCK) == 0)
            return true;
    return false;
}

static bool is_over(const struct olv_error *err)
{
    return err->code != OLV_OK && err->code != OLV_BROKEN;
}

/* Reads on where the next frame may begin. */
static bool pass_over(struct reading *r, uint64_t damaged, struct olv_error *err)
{
    olv_error_clear(err);
    r->result->is_damaged = true;
    return frame_find(&r->source, r->codec, damaged + 1, &r->at, err);
}

static bool read_frames(struct reading *r, struct olv_error *err)
{
    while (r->at < r->source.size) {
        uint64_t at = r->at;
        bool ok =
            read_frame(r, err) && (r->has_ended || !may_be_manifest(&r->plain) || try_manifest(r, at, err));
        if (ok)
            continue;
        if (is_over(err))
            return false;
        if (r->has_ended) { /* what stands behind the frames */
            olv_error_clear(err);
            return true;
        }
        if (r->has_begun || !pass_over(r, at, err))
            return false;
    }
    return true;
}

/* ---- finding it in a plain tar ---- */

/* From the end, block by block: the last header before `*at` that has its name. */
static bool find_before(struct reading *r, uint64_t *at, struct olv_error *err)
{
    uint64_t end = *at / TAR_BLOCK * TAR_BLOCK;
    while (end > 0) {
        size_t len = end < PIECE ? (size_t)end : PIECE;
        const char *bytes;
        r->at = end - len;
        if (!read_piece(r, err))
            return false;
        bytes = olv_text_string(&r->plain);
        for (size_t i = len; i >= TAR_BLOCK; i -= TAR_BLOCK) {
            const char *block = bytes + i - TAR_BLOCK;
            if (strncmp(block, ARCHIVE_MANIFEST, TAR_BLOCK) == 0 && tar_is_header((const uint8_t *)block)) {
                *at = end - len + i - TAR_BLOCK;
                return true;
            }
        }
        end -= len;
    }
    return olv_fail(err, OLV_BROKEN, "it has no manifest: it is no archive of ours");
}

/* The manifest's own bytes are more frames. */
static bool add_own_frames(struct reading *r, struct olv_error *err)
{
    for (uint64_t at = r->manifest_at; at < r->source.size;) {
        uint64_t left = r->source.size - at;
        struct frame f = {.at = at, .length = left < FRAME_BYTES ? (uint32_t)left : FRAME_BYTES};
        f.plain_length = f.length;
        if (!frame_check_stretch(&r->source, at, at + f.length, &f.check, err))
            return false;
        f.packed_check = f.check;
        if (!frame_list_add(&r->read, f))
            return olv_fail_memory(err);
        at += f.length;
    }
    return true;
}

/* Where its first frame begins, if it is that of this archive, and not of one that was joined to it. */
static uint64_t own_place(const struct reading *r)
{
    const struct frame *last = r->said.count ? &r->said.items[r->said.count - 1] : NULL;
    return last ? last->at + last->length : 0;
}

static bool start_over(struct reading *r, struct olv_error *err)
{
    catalogue_abandon(r->options->catalogue);
    olv_text_clear(&r->run);
    olv_text_clear(&r->rule);
    r->has_begun = r->has_ended = false;
    r->archive.members = r->archive.bytes = 0;
    r->said.count = 0;
    return catalogue_begin(r->options->catalogue, err);
}

/* Before its header stands, mostly, the extended one, which is a part of it. */
static bool read_manifest_at(struct reading *r, uint64_t at, struct olv_error *err)
{
    enum { EXTENDED = 2 * TAR_BLOCK };
    for (uint64_t before = at >= EXTENDED ? EXTENDED : 0;; before = 0) {
        r->at = at - before;
        if (!read_piece(r, err) || !try_manifest(r, at - before, err))
            return false;
        if (r->has_begun || before == 0)
            return true;
    }
}

static bool read_plain(struct reading *r, struct olv_error *err)
{
    uint64_t at = r->source.size;
    for (;;) {
        if (!find_before(r, &at, err) || !start_over(r, err) || !read_manifest_at(r, at, err))
            return false;
        if (r->has_ended && r->manifest_at == own_place(r))
            return add_own_frames(r, err);
    }
}

/* ---- what it says against what it is ---- */

static const struct frame *find_read(const struct reading *r, uint64_t at)
{
    size_t low = 0, high = r->read.count;
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (r->read.items[middle].at == at)
            return &r->read.items[middle];
        if (r->read.items[middle].at < at)
            low = middle + 1;
        else
            high = middle;
    }
    return NULL;
}

/* One that was not read may be sound nevertheless: of a large member of a zip archive, behind another of its
 * frames that is damaged. */
static bool is_as_said(struct reading *r, const struct frame *said, struct olv_error *err)
{
    const struct frame *read = find_read(r, said->at);
    uint64_t check = 0;
    if (!read) {
        r->at = said->at;
        return observe(r, err) &&
               frame_check_stretch(&r->source, said->at, said->at + said->length, &check, err) &&
               check == said->packed_check;
    }
    return read->length == said->length && read->plain_length == said->plain_length &&
           read->check == said->check && read->packed_check == said->packed_check;
}

/* Tells which frames are not what they were, and makes a list of all: those that the manifest speaks of, and
 * its own, which were read. */
static bool compare_frames(struct reading *r, struct olv_error *err)
{
    char what[100];
    for (size_t i = 0; i < r->said.count; i++) {
        bool is_right = is_as_said(r, &r->said.items[i], err);
        if (is_over(err))
            return false;
        olv_error_clear(err);
        if (is_right)
            continue;
        snprintf(what, sizeof what, "frame %zu at byte %llu is not what the manifest says", i,
                 (unsigned long long)r->said.items[i].at);
        tell(r, what);
    }
    r->archive.manifest_frame = r->said.count;
    for (size_t i = 0; i < r->read.count; i++)
        if (r->read.items[i].at >= r->manifest_at && !frame_list_add(&r->said, r->read.items[i]))
            return olv_fail_memory(err);
    return true;
}

/* What should stand behind them follows from the frames; only where some of a zip archive are damaged, its
 * directory is taken as it is. */
static bool compare_end(struct reading *r, struct olv_error *err)
{
    const struct frame *last = &r->said.items[r->said.count - 1];
    struct pack_source whole = {&r->fd, reading_source, r->length};
    struct olv_text end = {0};
    uint64_t at = last->at + last->length, is = 0;
    bool ok = at >= r->length || frame_check_stretch(&whole, at, r->length, &is, err);
    if (ok && frames_end(&whole, r->codec, &r->said, &end, err))
        r->said.end_check = end.len ? frame_check(end.data, end.len) : 0;
    else if (ok && (ok = !is_over(err)))
        r->said.end_check = is;
    olv_text_free(&end);
    if (!ok)
        return false;
    olv_error_clear(err);
    if (is != r->said.end_check)
        tell(r, "what stands behind its frames is not what belongs there");
    return true;
}

/* ---- an archive ---- */

/* A zip archive's directory comes behind all frames. Where it is damaged, frames end where they do. */
static void leave_directory(struct reading *r)
{
    struct olv_error ignored = {0};
    struct zip_reader *zip = zip_reader_new(&r->source, &ignored);
    if (zip)
        r->source.size = zip_directory_at(zip);
    zip_reader_free(zip);
}

static bool begin(struct reading *r, struct olv_error *err)
{
    const struct reread_options *o = r->options;
    struct olv_stat stat;
    r->fd = openat(o->dir, r->name, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC);
    if (r->fd < 0 || !olv_os_stat(r->fd, "", &stat))
        return olv_fail_system(err, r->name, "cannot open it");
    r->length = r->result->bytes = stat.size_bytes;
    r->source = (struct pack_source){&r->fd, reading_source, r->length};
    r->codec = olv_pack_of_name(r->name, NULL);
    r->reader = r->codec == OLV_CODEC_NONE ? NULL : frame_reader_new(r->codec);
    if (r->codec != OLV_CODEC_NONE && !r->reader)
        return olv_fail_memory(err);
    if (r->codec == OLV_CODEC_ZIP)
        leave_directory(r);
    r->archive = (struct catalogue_archive){
        .depot = o->depot, .depot_path = o->path, .name = r->name, .codec = r->codec, .length = r->length};
    return true;
}

static bool read_all(struct reading *r, struct olv_error *err)
{
    if (!(r->codec == OLV_CODEC_NONE ? read_plain(r, err) : read_frames(r, err)))
        return false;
    if (!r->has_ended)
        return olv_fail(err, OLV_BROKEN,
                        r->result->is_damaged
                            ? "its manifest cannot be read; `olvido extract` takes out what can be"
                            : "it has no manifest: it is no archive of ours");
    return compare_frames(r, err) && compare_end(r, err);
}

bool reread_archive(const struct reread_options *options, const char *name, struct reread_result *result,
                    struct olv_error *err)
{
    struct reading *r = calloc(1, sizeof *r);
    bool ok;
    *result = (struct reread_result){0};
    if (!r)
        return olv_fail_memory(err);
    r->options = options;
    r->result = result;
    r->name = name;
    ok = begin(r, err) && catalogue_begin(options->catalogue, err) && read_all(r, err);
    r->archive.run = olv_text_string(&r->run);
    r->archive.rule = olv_text_string(&r->rule);
    ok = ok && catalogue_end(options->catalogue, &r->archive, &r->said, err);
    result->members = r->archive.members;
    catalogue_abandon(options->catalogue);
    if (r->fd >= 0)
        close(r->fd);
    frame_reader_free(r->reader);
    frame_list_free(&r->read);
    frame_list_free(&r->said);
    olv_text_free(&r->plain);
    olv_text_free(&r->run);
    olv_text_free(&r->rule);
    manifest_member_free(&r->member);
    free(r);
    return ok;
}
