/* SPDX-License-Identifier: Apache-2.0 */
/* Any bytes as a tar archive: members whose strings are all there and whose data lies within them, or an
 * error. */
#include "fuzz.h"
#include "pack/tar.h"

#include <string.h>

struct bytes {
    const uint8_t *at;
    size_t left;
};

/* In small pieces, so that every header is put together from several. */
static bool next(void *self, const uint8_t **bytes, size_t *len, struct olv_error *err)
{
    struct bytes *b = self;
    (void)err;
    *bytes = b->at;
    *len = b->left < 700 ? b->left : 700;
    b->at += *len;
    b->left -= *len;
    return true;
}

static void read_data(struct tar_reader *reader, const struct olv_member *m, struct olv_error *err)
{
    const uint8_t *bytes;
    size_t len = 1;
    uint64_t at = 0, before = 0;
    while (len && tar_data(reader, &bytes, &len, &at, err)) {
        must(len == 0 || at >= before);
        must(len == 0 || !m->is_sparse || at + len <= m->size_bytes);
        before = at + len;
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    struct bytes bytes = {data, size};
    struct byte_stream stream = {&bytes, next};
    struct tar_reader *reader = tar_reader_new(&stream, 0);
    struct olv_member m;
    struct olv_error err = {0};
    must(reader);
    while (tar_next(reader, &m, &err)) {
        must(m.path && m.link && m.owner_name && m.group_name && m.acl && m.acl_default);
        must(strlen(m.path) <= size && m.mode <= 07777);
        read_data(reader, &m, &err);
        if (err.code != OLV_OK)
            break;
    }
    tar_reader_free(reader);
    return 0;
}
