/* SPDX-License-Identifier: Apache-2.0 */
/* Reads only the manifest's frames, where the catalogue says that they are. */
#include "depot/same.h"

#include "archive/manifest.h"
#include "archive/manifest_member.h"
#include "depot/unpacked.h"
#include "os/os.h"
#include "pack/tar.h"

#include <string.h>

struct comparing {
    int fd;
    struct catalogue_known known;
    struct frame_list frames;
    struct decoder *decoder;
    size_t next; /* frame */
    struct olv_text packed, plain;
    struct olv_hasher *hasher;
    bool has_id, is_id; /* the first line was read; it has the id */
};

static bool same_other(struct olv_error *err)
{
    return olv_fail(err, OLV_BROKEN,
                    "the file is not the archive that the catalogue knows by this name, so it stays; `olvido "
                    "depot rebuild` enters what is there");
}

static bool same_line(void *self, const char *text, size_t len, struct olv_error *err)
{
    struct comparing *c = self;
    uint8_t id[MANIFEST_ID];
    olv_hasher_add(c->hasher, text, len);
    olv_hasher_add(c->hasher, "\n", 1);
    if (!c->has_id) {
        json_t *head = json_loadb(text, len, 0, NULL);
        c->is_id = head && manifest_read_id(head, id) && memcmp(id, c->known.id, sizeof id) == 0;
        json_decref(head);
    }
    c->has_id = true;
    return c->is_id || same_other(err);
}

static bool same_next_bytes(void *self, const uint8_t **bytes, size_t *len, struct olv_error *err)
{
    struct comparing *c = self;
    olv_text_clear(&c->plain);
    if (c->next < c->frames.count &&
        !unpacked_frame(c->fd, &c->frames.items[c->next++], c->decoder, &c->packed, &c->plain, err))
        return err->code == OLV_BROKEN && same_other(err);
    *bytes = (const uint8_t *)olv_text_string(&c->plain);
    *len = c->plain.len;
    return true;
}

static bool same_manifest(struct comparing *c, struct olv_error *err)
{
    struct byte_stream stream = {c, same_next_bytes};
    struct tar_reader *tar = tar_reader_new(&stream, 0);
    struct olv_member member;
    uint8_t digest[OLV_SHA256_SIZE];
    bool ok = tar != NULL || olv_fail_memory(err);
    c->next = c->known.manifest_frame;
    olv_hasher_begin(c->hasher);
    ok = ok && (tar_next(tar, &member, err) || err->code != OLV_OK || same_other(err)) &&
         err->code == OLV_OK && manifest_lines(tar, same_line, c, err);
    tar_reader_free(tar);
    if (!ok)
        return false;
    olv_hasher_end(c->hasher, digest);
    return (c->is_id && memcmp(digest, c->known.manifest, sizeof digest) == 0) || same_other(err);
}

static bool same_begin(struct comparing *c, struct olv_catalogue *catalogue, int64_t row,
                       struct olv_error *err)
{
    struct olv_stat stat;
    if (!catalogue_find_row(catalogue, row, &c->known, err) ||
        !catalogue_frames(catalogue, row, &c->frames, err))
        return false;
    if (!olv_os_stat(c->fd, "", &stat))
        return olv_fail_system(err, "", "cannot look at the archive");
    if (!c->known.has_manifest || c->known.manifest_frame >= c->frames.count)
        return olv_fail(err, OLV_BROKEN,
                        "the catalogue does not say which archive it is, so it cannot be compared");
    if (stat.kind != OLV_KIND_FILE || stat.size_bytes != c->known.length)
        return same_other(err);
    c->decoder = c->known.codec == OLV_CODEC_NONE ? NULL : decoder_new(c->known.codec);
    c->hasher = olv_hasher_new();
    return (c->hasher && (c->decoder || c->known.codec == OLV_CODEC_NONE)) || olv_fail_memory(err);
}

bool same_archive(struct olv_catalogue *catalogue, int64_t row, int fd, struct olv_error *err)
{
    struct comparing c = {.fd = fd};
    bool ok = same_begin(&c, catalogue, row, err) && same_manifest(&c, err);
    frame_list_free(&c.frames);
    decoder_free(c.decoder);
    olv_hasher_free(c.hasher);
    olv_text_free(&c.packed);
    olv_text_free(&c.plain);
    return ok;
}
