/* SPDX-License-Identifier: Apache-2.0 */
/* The seek table that zstd's own documents describe (the seekable format 0.1.0): a skippable frame at the
 * very end. Integers are little-endian.
 *
 *   0x184D2A5E  length of what follows          the skippable frame's header
 *   packed length, plain length                 for each frame, 4 bytes each (and a checksum if so described)
 *   number of frames, descriptor, 0x8F92EAB1    the footer, 9 bytes */
#include "pack/frames.h"

#include "pack/put.h"

#include <stdlib.h>

enum { HEADER = 8, FOOTER = 9, ENTRY = 8, ENTRY_WITH_CHECK = 12, HAS_CHECKS = 0x80, RESERVED = 0x7C };
#define SKIPPABLE_MAGIC 0x184D2A5Eu
#define FOOTER_MAGIC    0x8F92EAB1u

void seek_table_put(const struct frame_list *list, struct olv_text *out)
{
    if (list->count < 2) /* nothing to find */
        return;
    put32(out, SKIPPABLE_MAGIC);
    put32(out, (uint32_t)(list->count * ENTRY + FOOTER));
    for (size_t i = 0; i < list->count; i++) {
        put32(out, list->items[i].length);
        put32(out, list->items[i].plain_length);
    }
    put32(out, (uint32_t)list->count);
    olv_text_add(out, "", 1);
    put32(out, FOOTER_MAGIC);
}

/* The table's entries must cover everything before it. */
static bool read_entries(const uint8_t *entries, uint32_t count, size_t step, uint64_t begin,
                         struct frame_list *list)
{
    uint64_t at = 0;
    for (uint32_t i = 0; i < count; i++) {
        struct frame f = {.at = at,
                          .length = bytes_get32(entries + i * step),
                          .plain_length = bytes_get32(entries + i * step + 4)};
        at += f.length;
        if (at > begin || !frame_list_add(list, f))
            return false;
    }
    return at == begin;
}

bool seek_table_get(const struct pack_source *source, struct frame_list *list)
{
    struct olv_error ignored = {0};
    uint8_t footer[FOOTER] = {0}, *table;
    uint64_t count, step, length;
    bool ok;
    if (source->size < HEADER + FOOTER ||
        !pack_read(source, footer, FOOTER, source->size - FOOTER, &ignored) ||
        bytes_get32(footer + 5) != FOOTER_MAGIC || (footer[4] & RESERVED))
        return false;
    count = bytes_get32(footer);
    step = footer[4] & HAS_CHECKS ? ENTRY_WITH_CHECK : ENTRY;
    length = HEADER + count * step + FOOTER;
    if (length > source->size || length > UINT32_MAX)
        return false;
    table = calloc(1, (size_t)length);
    ok = table && pack_read(source, table, (size_t)length, source->size - length, &ignored) &&
         bytes_get32(table) == SKIPPABLE_MAGIC && bytes_get32(table + 4) == length - HEADER &&
         read_entries(table + HEADER, (uint32_t)count, (size_t)step, source->size - length, list);
    if (!ok)
        frame_list_free(list);
    free(table);
    return ok;
}
