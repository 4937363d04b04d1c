/* SPDX-License-Identifier: Apache-2.0 */
#include "base/wire.h"

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
