/* SPDX-License-Identifier: Apache-2.0 */
#include "docket/wire.h"

#include "base/bytes.h"

#include <string.h>

void wire_put(struct olv_text *out, uint64_t value, unsigned width)
{
    uint8_t le[8];
    bytes_put64(le, value);
    olv_text_add(out, le, width);
}

uint64_t wire_get(struct wire *w, unsigned width)
{
    const uint8_t *at = wire_get_bytes(w, width);
    uint8_t le[8] = {0};
    if (at)
        memcpy(le, at, width);
    return bytes_get64(le);
}

const uint8_t *wire_get_bytes(struct wire *w, size_t count)
{
    const uint8_t *at = w->bytes + w->at;
    w->is_broken |= w->len - w->at < count;
    if (w->is_broken)
        return NULL;
    w->at += count;
    return at;
}

void wire_put_string(struct olv_text *out, const char *string, unsigned width)
{
    size_t len = string ? strlen(string) : 0;
    wire_put(out, len, width);
    if (len)
        olv_text_add(out, string, len);
}

const char *wire_get_string(struct wire *w, unsigned width)
{
    size_t len = (size_t)wire_get(w, width);
    const uint8_t *at = wire_get_bytes(w, len);
    const char *copy = "";
    if (at && len)
        copy = memchr(at, 0, len) ? NULL : olv_arena_copy(w->arena, (const char *)at, len);
    w->is_broken |= !copy;
    return copy ? copy : "";
}

uint8_t *wire_put_instant(uint8_t *at, struct olv_instant t)
{
    bytes_put64(at, (uint64_t)t.s);
    bytes_put32(at + 8, t.ns);
    return at + WIRE_INSTANT;
}

struct olv_instant wire_instant_at(struct wire *w, const uint8_t *at)
{
    struct olv_instant t = {(int64_t)bytes_get64(at), bytes_get32(at + 8)};
    w->is_broken |= t.ns > 999999999;
    return t;
}

/* ---- manners ---- */

static enum olv_codec get_codec(struct wire *w)
{
    uint64_t codec = wire_get(w, 1);
    w->is_broken |= codec >= OLV_CODEC_COUNT;
    return w->is_broken ? OLV_CODEC_NONE : (enum olv_codec)codec;
}

void wire_put_manner(struct olv_text *out, const struct olv_manner *m)
{
    wire_put(out, m->codec, 1);
    wire_put(out, (uint64_t)m->level, 1);
    wire_put(out, m->keeps, 1);
    wire_put(out, m->most_bytes, 8);
    wire_put(out, m->clock, 1);
    wire_put_string(out, m->depot, 1);
    wire_put_string(out, m->into, 4);
    wire_put_string(out, m->text, 4);
}

void wire_get_manner(struct wire *w, struct olv_manner *m)
{
    m->codec = get_codec(w);
    m->level = (int)wire_get(w, 1);
    m->keeps = wire_get(w, 1) != 0;
    m->most_bytes = wire_get(w, 8);
    m->clock = (enum olv_clock)wire_get(w, 1);
    m->depot = wire_get_string(w, 1);
    m->into = wire_get_string(w, 4);
    m->text = wire_get_string(w, 4);
    w->is_broken |= m->clock >= OLV_CLOCK_COUNT || m->level >= 100 || (*m->into && m->into[0] != '/');
}

/* ---- locations ---- */

/* Bits for what is known. */
enum { HAS_DIGEST = 1, HAS_HEADER = 2 };

void wire_put_location(struct olv_text *out, const struct olv_location *l)
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

static void get_into(struct wire *w, void *out, size_t count)
{
    const uint8_t *at = wire_get_bytes(w, count);
    if (at)
        memcpy(out, at, count);
}

void wire_get_location(struct wire *w, struct olv_location *l)
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
