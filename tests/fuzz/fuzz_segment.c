/* SPDX-License-Identifier: Apache-2.0 */
/* Any bytes as a page of a docket: entries whose strings are all there, or an error; what could be read to
 * its end is written and read again as the same entries. */
#include "docket/location.h"
#include "fuzz.h"
#include "keys/keys.h"
#include "olvido/docket.h"

#include <string.h>

static void must_have_same_manner(const struct olv_docket_entry *a, const struct olv_docket_entry *b)
{
    struct olv_text one = {0}, other = {0};
    keys_put(a->act, a->arguments, &one);
    keys_put(b->act, b->arguments, &other);
    must(olv_text_is_same(&one, &other));
    must(!a->location == !b->location);
    if (a->location) {
        location_put(&one, a->location);
        location_put(&other, b->location);
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

static void compare(const struct olv_text *given, const struct olv_text *written)
{
    struct olv_error err = {0};
    struct olv_page_reader *one = olv_page_open(given, &err), *other = olv_page_open(written, &err);
    struct olv_docket_entry a, b;
    must(one && other);
    while (olv_page_next(one, &a, &err)) {
        must(olv_page_next(other, &b, &err));
        must_be_same(&a, &b);
    }
    must(!olv_page_next(other, &b, &err) && err.code == OLV_OK);
    olv_page_close(one);
    olv_page_close(other);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    struct olv_error err = {0};
    const struct olv_text given = {.data = (char *)(uintptr_t)data, .len = size};
    struct olv_page_reader *reader = olv_page_open(&given, &err);
    struct olv_page_writer writer = {.entries = 0};
    struct olv_docket_entry e;
    if (!reader) {
        must(err.code != OLV_OK);
        return 0;
    }
    olv_page_begin(&writer);
    while (olv_page_next(reader, &e, &err))
        olv_page_add(&writer, &e);
    olv_page_close(reader);
    if (err.code == OLV_OK && writer.entries && writer.bytes.len <= OLV_PAGE_MOST)
        compare(&given, &writer.bytes);
    olv_page_free(&writer);
    return 0;
}
