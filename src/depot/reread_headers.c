/* SPDX-License-Identifier: Apache-2.0 */
/* Members' headers say what a manifest says, in the bytes that are given back: so their digests are read from
 * the archive, and the manifest commits to all of them with one digest. */
#include "depot/reread_parts.h"
#include "depot/vault.h"

#include <stdlib.h>
#include <string.h>

struct heading {
    struct reading *reading;
    struct vault *vault;
    struct olv_hasher *hasher; /* of all digests */
    struct catalogue_header *headers;
    size_t count;
    size_t frame; /* the current one, */
    uint64_t at;  /* and where it begins in the unpacked archive */
};

/* Members are ordered by frame. */
static bool go_to_frame(struct heading *h, uint64_t frame)
{
    const struct frame_list *said = &h->reading->said;
    for (; h->frame < frame && h->frame < said->count; h->frame++)
        h->at += said->items[h->frame].plain_length;
    return h->frame == frame && frame < said->count;
}

/* False if it cannot be read; with a code other than OLV_BROKEN for more than damage. */
static bool read_header(struct heading *h, const struct member_position *m, uint8_t out[OLV_SHA256_SIZE],
                        struct olv_error *err)
{
    const struct reading *r = h->reading;
    struct vault_position place = {.fd = r->fd, .id = r->archive.id, .codec = r->codec};
    struct olv_member ignored;
    if (!go_to_frame(h, m->frame) || m->at < h->at)
        return olv_fail(err, OLV_BROKEN, "its manifest makes no sense");
    place.begins = r->said.items[m->frame].at;
    place.within = m->at - h->at;
    if (!vault_open(h->vault, &place, &ignored, err))
        return false;
    memcpy(out, vault_header(h->vault), OLV_SHA256_SIZE);
    return true;
}

static bool reread_headers_read_all(struct heading *h, bool *is_whole, struct olv_error *err)
{
    struct reading *r = h->reading;
    for (size_t i = 0; i < r->place_count; i++) {
        struct catalogue_header *header = &h->headers[h->count];
        header->at = r->places[i].at;
        if (read_header(h, &r->places[i], header->header, err)) {
            olv_hasher_add(h->hasher, header->header, sizeof header->header);
            h->count++;
        } else if (reread_is_over(err)) {
            return false;
        } else {
            *is_whole = false;
            olv_error_clear(err);
        }
    }
    return true;
}

bool reread_headers(struct reading *r, struct olv_error *err)
{
    struct heading h = {.reading = r,
                        .vault = vault_new(),
                        .hasher = olv_hasher_new(),
                        .headers = calloc(r->place_count + 1, sizeof *h.headers)};
    uint8_t digest[OLV_SHA256_SIZE];
    bool is_whole = true, /* otherwise the damage was reported */
        ok = h.vault && h.hasher && h.headers;
    if (ok)
        olv_hasher_begin(h.hasher);
    else
        olv_fail_memory(err);
    ok = ok && reread_headers_read_all(&h, &is_whole, err) &&
         catalogue_put_headers(r->options->catalogue, r->row, h.headers, h.count, err);
    if (ok) {
        olv_hasher_end(h.hasher, digest);
        if (is_whole && (!r->has_headers || memcmp(digest, r->headers, sizeof digest) != 0))
            reread_tell(r, "the headers of its members are not those that its manifest commits to");
    }
    free(h.headers);
    olv_hasher_free(h.hasher);
    vault_free(h.vault);
    return ok;
}
