/* SPDX-License-Identifier: Apache-2.0 */
/* Any bytes behind a codec's number, as a packed file: whatever its seek table, index or marks say, the
 * pieces and the frames cover it exactly. */
#include "fuzz.h"
#include "pack/frames.h"
#include "pack/split.h"
#include "support/packed.h"

#include <string.h>

static void read_table(const struct pack_source *source)
{
    struct frame_list list = {0};
    uint64_t at = 0;
    if (!seek_table_get(source, &list)) {
        must(list.count == 0);
        return;
    }
    for (size_t i = 0; i < list.count; i++) {
        must(list.items[i].at == at);
        at += list.items[i].length;
    }
    must(at < source->size); /* the table itself is behind them */
    frame_list_free(&list);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    struct olv_text packed = {.data = (char *)(uintptr_t)data + 1, .len = size ? size - 1 : 0};
    struct pack_source source = memory_source(&packed);
    struct pieces pieces = {0};
    struct olv_error err = {0};
    uint64_t at = 0;
    if (size == 0)
        return 0;
    read_table(&source);
    must(split_frames(&source, (enum olv_codec)(data[0] % OLV_CODEC_COUNT), &pieces, &err));
    for (size_t i = 0; i < pieces.count; i++) {
        must(pieces.items[i].at == at && pieces.items[i].length);
        at += pieces.items[i].length;
    }
    must(at == packed.len);
    pieces_free(&pieces);
    return 0;
}
