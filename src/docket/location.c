/* SPDX-License-Identifier: Apache-2.0 */
#include "docket/location.h"

#include <string.h>

/* Bits for what is known. */
enum { HAS_DIGEST = 1, HAS_HEADER = 2 };

void location_put(struct olv_text *out, const struct olv_location *l)
{
    uint8_t modified[WIRE_INSTANT];
    olv_text_add(out, l->archive, sizeof l->archive);
    wire_put(out, l->codec, 1);
    wire_put(out, l->begins, 8);
    wire_put(out, l->within, 8);
    wire_put(out, l->size_bytes, 8);
    wire_put_instant(modified, l->modified);
    olv_text_add(out, modified, sizeof modified);
    olv_text_add(out, l->member, sizeof l->member);
    wire_put(out, (l->has_digest ? HAS_DIGEST : 0) | (l->has_header ? HAS_HEADER : 0), 1);
    if (l->has_digest)
        olv_text_add(out, l->digest, sizeof l->digest);
    if (l->has_header)
        olv_text_add(out, l->header, sizeof l->header);
    wire_put_string(out, l->twin, 4);
}

static enum olv_codec get_codec(struct wire *w)
{
    uint64_t codec = wire_get(w, 1);
    w->is_broken |= codec >= OLV_CODEC_COUNT;
    return w->is_broken ? OLV_CODEC_NONE : (enum olv_codec)codec;
}

static void get_into(struct wire *w, void *out, size_t count)
{
    const uint8_t *at = wire_get_bytes(w, count);
    if (at)
        memcpy(out, at, count);
}

void location_get(struct wire *w, struct olv_location *l)
{
    uint8_t modified[WIRE_INSTANT] = {0};
    uint64_t known;
    get_into(w, l->archive, sizeof l->archive);
    l->codec = get_codec(w);
    l->begins = wire_get(w, 8);
    l->within = wire_get(w, 8);
    l->size_bytes = wire_get(w, 8);
    get_into(w, modified, sizeof modified);
    l->modified = wire_instant_at(w, modified);
    get_into(w, l->member, sizeof l->member);
    known = wire_get(w, 1);
    l->has_digest = known & HAS_DIGEST;
    l->has_header = known & HAS_HEADER;
    if (l->has_digest)
        get_into(w, l->digest, sizeof l->digest);
    if (l->has_header)
        get_into(w, l->header, sizeof l->header);
    l->twin = wire_get_string(w, 4);
    w->is_broken |= *l->twin && l->twin[0] != '/';
}
