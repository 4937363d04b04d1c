/* SPDX-License-Identifier: Apache-2.0 */
/* The manifest lists all members, and where frames are and what they contain: frames that were read are
 * compared with it, and those that could not be read are known from it. */
#include "depot/reread_parts.h"

#include "os/os.h"
#include "os/reading.h"
#include "pack/zip.h"

#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <unistd.h>

void reread_tell(struct reading *r, const char *what)
{
    r->result->is_damaged = true;
    r->options->fault(r->options->self, &(struct olv_depot_fault){r->options->depot, r->name, what, ""});
}

bool reread_observe(const struct reading *r, struct olv_error *err)
{
    const struct reread_options *o = r->options;
    olv_observe_progress(o->observer, (struct olv_progress){.doing = "reading",
                                                            .files = o->archives,
                                                            .bytes = o->bytes + r->at,
                                                            .of_files = o->of_archives,
                                                            .of_bytes = o->of_bytes});
    return !olv_observe_interrupted(o->observer) || olv_fail(err, OLV_INTERRUPTED, "interrupted");
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

/* An unread frame may still be sound: a later frame of a large member of a zip archive, after a damaged one.
 */
static bool is_as_said(struct reading *r, const struct frame *said, struct olv_error *err)
{
    const struct frame *read = find_read(r, said->at);
    uint64_t check = 0;
    if (!read) {
        r->at = said->at;
        return reread_observe(r, err) &&
               frame_check_stretch(&r->source, said->at, said->at + said->length, &check, err) &&
               check == said->packed_check;
    }
    return read->length == said->length && read->plain_length == said->plain_length &&
           read->check == said->check && read->packed_check == said->packed_check;
}

/* Reports frames that differ, and lists all frames: those in the manifest, and the manifest's own, which were
 * read. */
static bool compare_frames(struct reading *r, struct olv_error *err)
{
    char what[100];
    for (size_t i = 0; i < r->said.count; i++) {
        bool is_right = is_as_said(r, &r->said.items[i], err);
        if (reread_is_over(err))
            return false;
        olv_error_clear(err);
        if (is_right)
            continue;
        snprintf(what, sizeof what, "frame %zu at byte %llu is not what the manifest says", i,
                 (unsigned long long)r->said.items[i].at);
        reread_tell(r, what);
    }
    r->archive.manifest_frame = r->said.count;
    for (size_t i = 0; i < r->read.count; i++)
        if (r->read.items[i].at >= r->manifest_at && !frame_list_add(&r->said, r->read.items[i]))
            return olv_fail_memory(err);
    return true;
}

/* The end follows from the frames; only if some of a zip archive are damaged, its directory is taken as it
 * is. */
static bool compare_end(struct reading *r, struct olv_error *err)
{
    const struct frame *last = &r->said.items[r->said.count - 1];
    struct pack_source whole = {&r->fd, reading_source, r->length};
    struct olv_text end = {0};
    uint64_t at = last->at + last->length, is = 0;
    bool ok = at >= r->length || frame_check_stretch(&whole, at, r->length, &is, err);
    if (ok && frames_end(&whole, r->codec, &r->said, &end, err))
        r->said.end_check = end.len ? frame_check(end.data, end.len) : 0;
    else if (ok && (ok = !reread_is_over(err)))
        r->said.end_check = is;
    olv_text_free(&end);
    if (!ok)
        return false;
    olv_error_clear(err);
    if (is != r->said.end_check)
        reread_tell(r, "what follows its frames is not what belongs there");
    return true;
}

/* ---- an archive ---- */

/* A zip archive's directory follows all frames. If it is damaged, the frames end where they do. */
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

static bool reread_read_all(struct reading *r, struct olv_error *err)
{
    if (!(r->codec == OLV_CODEC_NONE ? reread_plain(r, err) : reread_packed(r, err)))
        return false;
    if (!r->has_ended)
        return olv_fail(err, OLV_BROKEN,
                        r->result->is_damaged
                            ? "its manifest cannot be read; `olvido extract` extracts what can be"
                            : "it has no manifest: it is not an archive of ours");
    return compare_frames(r, err) && compare_end(r, err) && reread_headers(r, err);
}

/* Replaces what was known of the archive of that name. */
static bool adopt(struct reading *r, struct olv_error *err)
{
    const struct reread_options *o = r->options;
    struct catalogue_known known;
    olv_hasher_end(r->hasher, r->archive.manifest);
    r->archive.is_recorded = o->replaces == 0;
    if (o->may_be_ours && (r->result->is_damaged || !o->may_be_ours(o->self, &r->archive)))
        return olv_fail(
            err, OLV_UNTRUSTED,
            "others could have put it there, and the ledger does not know it; `olvido extract` extracts it");
    if (o->may_stay && (!catalogue_flush(o->catalogue, err) || !o->may_stay(o->self, r->row, err)))
        return false;
    return catalogue_find_archive(o->catalogue, o->path, r->name, &known, err) &&
           catalogue_adopt(o->catalogue, r->row, &r->archive, &r->said, o->replaces ? o->replaces : known.row,
                           err);
}

bool reread_archive(const struct reread_options *options, const char *name, struct reread_result *result,
                    struct olv_error *err)
{
    struct reading *r = calloc(1, sizeof *r);
    struct olv_error ignored = {0};
    bool ok;
    *result = (struct reread_result){0};
    if (!r)
        return olv_fail_memory(err);
    r->options = options;
    r->result = result;
    r->name = name;
    r->hasher = olv_hasher_new();
    ok = (r->hasher || olv_fail_memory(err)) && begin(r, err) && reread_begin(r, err) &&
         reread_read_all(r, err);
    r->archive.run = olv_text_string(&r->run);
    r->archive.rule = olv_text_string(&r->rule);
    ok = ok && adopt(r, err);
    result->members = r->archive.members;
    if (!ok && r->row)
        catalogue_forget(options->catalogue, r->row, &ignored);
    olv_os_close(r->fd);
    olv_hasher_free(r->hasher);
    free(r->places);
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
