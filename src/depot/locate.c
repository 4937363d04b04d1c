/* SPDX-License-Identifier: Apache-2.0 */
#include "depot/locate.h"

#include <string.h>

static void digest_path(const char *path, struct olv_hasher *hasher, uint8_t out[OLV_SHA256_SIZE])
{
    path += strspn(path, "/");
    olv_sha256(hasher, path, strlen(path), out);
}

static struct olv_location locate_locate(const struct olv_stored_file *f, const char *path,
                                         struct olv_hasher *hasher)
{
    struct olv_location l = {.codec = f->codec,
                             .size_bytes = f->size_bytes,
                             .modified = f->modified,
                             .has_digest = f->digest != NULL,
                             .twin = ""};
    memcpy(l.archive, f->archive_id, sizeof l.archive);
    if (f->digest)
        memcpy(l.digest, f->digest, sizeof l.digest);
    digest_path(path, hasher, l.member);
    return l;
}

struct olv_location locate_contents(const struct olv_stored_file *f, struct olv_hasher *hasher)
{
    struct olv_location l = locate_locate(f, *f->twin ? f->twin : f->path, hasher);
    l.begins = f->begins;
    l.within = f->within;
    l.has_header = f->header != NULL;
    if (f->header)
        memcpy(l.header, f->header, sizeof l.header);
    return l;
}

struct olv_location locate_member(const struct olv_stored_file *f, struct olv_hasher *hasher)
{
    struct olv_location l = locate_locate(f, f->path, hasher);
    l.begins = f->own_begins;
    l.within = f->own_within;
    return l;
}

bool locate_is_it(const struct olv_location *l, const char *member_path, struct olv_hasher *hasher)
{
    uint8_t is[OLV_SHA256_SIZE];
    digest_path(member_path, hasher, is);
    return memcmp(is, l->member, sizeof is) == 0;
}
