/* SPDX-License-Identifier: Apache-2.0 */
#include "depot/locate.h"

#include <string.h>

static void digest_path(const char *path, struct olv_hasher *hasher, char out[OLV_HEX_SIZE])
{
    uint8_t digest[OLV_SHA256_SIZE];
    path += strspn(path, "/");
    olv_sha256(hasher, path, strlen(path), digest);
    olv_hex(digest, sizeof digest, out);
}

static struct olv_how locate(const struct olv_stored_file *f, const char *path, struct olv_hasher *hasher)
{
    struct olv_how how = {.codec = f->codec,
                          .is_member = true,
                          .most_bytes = f->size_bytes,
                          .has_archive = true,
                          .has_digest = f->digest != NULL,
                          .into = ""};
    memcpy(how.archive, f->archive_id, sizeof how.archive);
    if (f->digest)
        memcpy(how.digest, f->digest, sizeof how.digest);
    digest_path(path, hasher, how.member);
    return how;
}

struct olv_how locate_contents(const struct olv_stored_file *f, struct olv_hasher *hasher)
{
    struct olv_how how = locate(f, *f->twin ? f->twin : f->path, hasher);
    how.begins = f->begins;
    how.within = f->within;
    how.has_header = f->header != NULL;
    if (f->header)
        memcpy(how.header, f->header, sizeof how.header);
    return how;
}

struct olv_how locate_member(const struct olv_stored_file *f, struct olv_hasher *hasher)
{
    struct olv_how how = locate(f, f->path, hasher);
    how.begins = f->own_begins;
    how.within = f->own_within;
    how.has_modified = true;
    how.modified = f->modified;
    return how;
}

bool locate_is_it(const struct olv_how *how, const char *member_path, struct olv_hasher *hasher)
{
    char is[OLV_HEX_SIZE];
    digest_path(member_path, hasher, is);
    return !*how->member || strcmp(is, how->member) == 0;
}
