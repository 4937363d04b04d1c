/* SPDX-License-Identifier: Apache-2.0 */
/* Any bytes as a segment of a docket: entries whose strings are all there, or an error; what could be read to
 * its end is written and read again as the same entries. */
#include "docket/wire.h"
#include "fuzz.h"
#include "olvido/docket.h"

#include <string.h>

static void must_have_same_manner(const struct olv_docket_entry *a, const struct olv_docket_entry *b)
{
    struct olv_text one = {0}, other = {0};
    wire_put_manner(&one, a->manner);
    wire_put_manner(&other, b->manner);
    must(olv_text_is_same(&one, &other));
    must(!a->location == !b->location);
    if (a->location) {
        wire_put_location(&one, a->location);
        wire_put_location(&other, b->location);
    }
    must(olv_text_is_same(&one, &other));
    olv_text_free(&one);
    olv_text_free(&other);
}

static void must_be_same(const struct olv_docket_entry *a, const struct olv_docket_entry *b)
{
    must(a->act == b->act && a->place == b->place && a->rule == b->rule && a->step == b->step);
    must(strcmp(a->name, b->name) == 0 && strcmp(a->directory, b->directory) == 0);
    must(strcmp(a->target, b->target) == 0 && strcmp(a->rule_name, b->rule_name) == 0);
    must(a->identity.inode == b->identity.inode && a->identity.size_bytes == b->identity.size_bytes);
    /* A writer asks the file system that is there for its UUID, so only what the bytes alone decide is the
     * same. */
    must(a->at.mount == b->at.mount && a->at.device == b->at.device && a->at.inode == b->at.inode);
    must(a->contents.entries == b->contents.entries && a->if_exists == b->if_exists);
    must_have_same_manner(a, b);
}

static void compare(const uint8_t *data, size_t size, const struct olv_text *written)
{
    struct olv_error err = {0};
    struct olv_segment_reader *one = olv_segment_open(data, size, &err);
    struct olv_segment_reader *other = olv_segment_open(written->data, written->len, &err);
    struct olv_docket_entry a, b;
    must(one && other);
    while (olv_segment_next(one, &a, &err)) {
        must(olv_segment_next(other, &b, &err));
        must_be_same(&a, &b);
    }
    must(!olv_segment_next(other, &b, &err) && err.code == OLV_OK);
    olv_segment_close(one);
    olv_segment_close(other);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    struct olv_error err = {0};
    struct olv_segment_reader *reader = olv_segment_open(data, size, &err);
    struct olv_segment_writer writer = {.entries = 0};
    struct olv_docket_entry e;
    if (!reader) {
        must(err.code != OLV_OK);
        return 0;
    }
    olv_segment_begin(&writer);
    while (olv_segment_next(reader, &e, &err))
        olv_segment_add(&writer, &e);
    olv_segment_close(reader);
    if (err.code == OLV_OK && writer.entries && writer.entries <= OLV_SEGMENT_ENTRIES)
        compare(data, size, &writer.bytes);
    olv_segment_free(&writer);
    return 0;
}
