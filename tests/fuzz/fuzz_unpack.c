/* SPDX-License-Identifier: Apache-2.0 */
/* Any bytes behind a codec's number: unpacked with several workers and with one, the outcome is the same. */
#include "fuzz.h"
#include "pack/codec.h"
#include "pack/unpack.h"
#include "support/packed.h"

#include <string.h>

enum { MOST_BYTES = 8 << 20 };

static bool unpack(const struct olv_text *packed, enum olv_codec codec, unsigned workers,
                   struct olv_text *out)
{
    struct pack_source source = memory_source(packed);
    struct olv_error err = {0};
    struct unpack *u = unpack_new(&source, codec, workers, &err);
    const uint8_t *bytes;
    size_t len = 1;
    bool ok = true;
    must(u);
    while (len && out->len < MOST_BYTES && (ok = unpack_next(u, &bytes, &len, &err)))
        olv_text_add(out, bytes, len);
    must(ok || err.code == OLV_BROKEN || err.code == OLV_MEMORY);
    must(unpack_position(u) <= packed->len);
    unpack_free(u);
    return ok;
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    struct olv_text packed = {.data = (char *)(uintptr_t)data + 1, .len = size ? size - 1 : 0}, one = {0},
                    two = {0};
    bool ok;
    if (size < 2)
        return 0;
    ok = unpack(&packed, (enum olv_codec)(data[0] % OLV_CODEC_COUNT), 1, &one);
    must(unpack(&packed, (enum olv_codec)(data[0] % OLV_CODEC_COUNT), 3, &two) == ok);
    if (one.len < MOST_BYTES && two.len < MOST_BYTES) {
        must(one.len == two.len);
        must(one.len == 0 || memcmp(one.data, two.data, one.len) == 0);
    }
    olv_text_free(&one);
    olv_text_free(&two);
    return 0;
}
