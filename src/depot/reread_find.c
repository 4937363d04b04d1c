/* SPDX-License-Identifier: Apache-2.0 */
/* Frames are read from start to end. After a damaged one, reading resumes at the next. One of the last
 * contains the manifest. Without a codec only the manifest tells frames apart; it is searched for from the
 * end. */
#include "depot/reread_parts.h"
#include "pack/tar.h"

#include <string.h>

enum { PIECE = 256 << 10 };

/* ---- frames ---- */

/* Reads the current one into `plain`; nothing at the end. */
static bool read_frame(struct reading *r, struct olv_error *err)
{
    struct frame f = {.at = r->at};
    uint64_t length = 0;
    olv_text_clear(&r->plain);
    if (!reread_observe(r, err))
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
    if (!reread_observe(r, err) || !pack_read(&r->source, room, len, r->at, err))
        return false;
    r->plain.len = len;
    r->at += len;
    return true;
}

/* For the tar reader: first what was read already, then what follows. */
static bool reread_find_next_bytes(void *self, const uint8_t **bytes, size_t *len, struct olv_error *err)
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

/* Nothing should, unless somebody has concatenated archives. The end of compressed ones is compared later. */
static bool tell_what_follows(struct reading *r, struct tar_reader *tar, struct olv_error *err)
{
    struct olv_member m;
    if (r->codec == OLV_CODEC_ZIP) /* which has no end mark */
        return true;
    if (tar_next(tar, &m, err))
        reread_tell(r, "another archive follows its end");
    else if (err->code == OLV_BROKEN && r->codec == OLV_CODEC_NONE)
        reread_tell(r, err->what);
    if (err->code == OLV_BROKEN)
        olv_error_clear(err);
    return err->code == OLV_OK;
}

/* The last frame read begins with a member: if it is the manifest, reads all of it. */
static bool try_manifest(struct reading *r, uint64_t at, struct olv_error *err)
{
    struct byte_stream stream = {r, reread_find_next_bytes};
    struct tar_reader *tar;
    struct olv_member m;
    bool ok = true;
    r->is_given = false;
    tar = tar_reader_new(&stream, r->codec == OLV_CODEC_NONE ? at : 0);
    if (!tar)
        return olv_fail_memory(err);
    if (tar_next(tar, &m, err) && strcmp(m.path, ARCHIVE_MANIFEST) == 0) {
        r->manifest_at = at;
        ok = manifest_lines(tar, reread_line, r, err) &&
             (r->has_ended || olv_fail(err, OLV_BROKEN, "its manifest makes no sense")) &&
             tell_what_follows(r, tar, err);
    } else if (err->code == OLV_BROKEN) { /* what follows is damaged, so it is found there, too */
        olv_error_clear(err);
    }
    tar_reader_free(tar);
    return ok && err->code == OLV_OK;
}

/* ---- finding it in a packed archive ---- */

/* Its name is in the first blocks, or it is another member. */
static bool may_be_manifest(const struct olv_text *plain)
{
    enum { BLOCKS = 8 };
    const char *bytes = olv_text_string(plain);
    for (size_t at = 0; at < (size_t)BLOCKS * TAR_BLOCK && at + TAR_BLOCK <= plain->len; at += TAR_BLOCK)
        if (strncmp(bytes + at, ARCHIVE_MANIFEST, TAR_BLOCK) == 0)
            return true;
    return false;
}

/* Resumes where the next frame may begin. */
static bool reread_find_pass_over(struct reading *r, uint64_t damaged, struct olv_error *err)
{
    olv_error_clear(err);
    r->result->is_damaged = true;
    return frame_find(&r->source, r->codec, damaged + 1, &r->at, err);
}

bool reread_packed(struct reading *r, struct olv_error *err)
{
    while (r->at < r->source.size) {
        uint64_t at = r->at;
        bool ok =
            read_frame(r, err) && (r->has_ended || !may_be_manifest(&r->plain) || try_manifest(r, at, err));
        if (ok)
            continue;
        if (reread_is_over(err))
            return false;
        if (r->has_ended) { /* what follows the frames */
            olv_error_clear(err);
            return true;
        }
        if (r->has_begun || !reread_find_pass_over(r, at, err))
            return false;
    }
    return true;
}

/* ---- finding it in a plain tar ---- */

/* From the end, block by block: the last header before `*at` with the manifest's name. */
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
    return olv_fail(err, OLV_BROKEN, "it has no manifest: it is not an archive of ours");
}

/* The manifest's own bytes are frames, too. */
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

/* Where its first frame begins, if it belongs to this archive, not to one appended. */
static uint64_t own_place(const struct reading *r)
{
    const struct frame *last = r->said.count ? &r->said.items[r->said.count - 1] : NULL;
    return last ? last->at + last->length : 0;
}

/* An extended header, which is a part of it, usually comes first. */
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

bool reread_plain(struct reading *r, struct olv_error *err)
{
    uint64_t at = r->source.size;
    for (;;) {
        if (!find_before(r, &at, err) || !reread_forget(r, err) || !read_manifest_at(r, at, err))
            return false;
        if (r->has_ended && r->manifest_at == own_place(r))
            return add_own_frames(r, err);
    }
}
