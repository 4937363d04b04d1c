/* SPDX-License-Identifier: Apache-2.0 */
/* Any bytes as a zip archive. */
#include "fuzz.h"
#include "olvido/text.h"
#include "pack/zip.h"
#include "support/packed.h"

#include <string.h>

enum { MOST_MEMBERS = 200, MOST_BYTES = 4 << 20 };

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    struct olv_text bytes = {.data = (char *)(uintptr_t)data, .len = size};
    struct pack_source source = memory_source(&bytes);
    struct olv_error err = {0};
    struct zip_reader *reader = zip_reader_new(&source, &err);
    struct olv_member m;
    size_t total = 0;
    must(reader || err.code != OLV_OK);
    for (int i = 0; reader && i < MOST_MEMBERS && zip_next(reader, &m, &err); i++) {
        const uint8_t *out;
        size_t len = 1;
        uint64_t at, expected = 0;
        struct olv_error why = {0};
        must(m.path && *m.path && m.link && m.mode <= 07777);
        while (len && total < MOST_BYTES && zip_data(reader, &out, &len, &at, &why)) {
            must(len == 0 || m.kind != OLV_KIND_FILE || at == expected);
            expected = at + len;
            total += len;
        }
    }
    zip_reader_free(reader);
    return 0;
}
