/* SPDX-License-Identifier: Apache-2.0 */
/* Detects the format: a codec by its first bytes, then a tar header in the unpacked bytes; a zip archive by
 * its directory at the end. */
#include "olvido/archive.h"

#include "base/grow.h"
#include "olvido/path.h"
#include "olvido/pattern.h"
#include "os/os.h"
#include "os/reading.h"
#include "pack/frame_reader.h"
#include "pack/stream.h"
#include "pack/tar.h"
#include "pack/unpack.h"
#include "pack/zip.h"

#include <fcntl.h>
#include <limits.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

struct olv_archive {
    int fd;
    struct olv_stat stat;
    struct pack_source source;
    enum olv_archive_form form;
    enum olv_codec codec;
    struct unpack *unpack;
    struct byte_stream stream; /* over `unpack`, starting with what was examined */
    const uint8_t *head;
    size_t head_len;
    struct tar_reader *tar;
    struct zip_reader *zip;
    uint64_t zip_position;
    /* Of a single compressed file. */
    char name[NAME_MAX + 1];
    bool was_given;
    uint64_t given;
    uint64_t unpacked, at_hand;
    bool (*go_on)(void *self, struct olv_error *err); /* NULL: nobody watches */
    void *watcher;
};

static bool next_plain(void *self, const uint8_t **bytes, size_t *len, struct olv_error *err)
{
    struct olv_archive *a = self;
    a->unpacked += a->at_hand; /* the last piece was read completely */
    a->at_hand = 0;
    if (a->go_on && !a->go_on(a->watcher, err))
        return false;
    if (a->head_len == 0) {
        if (!unpack_next(a->unpack, bytes, len, err))
            return false;
    } else {
        *bytes = a->head;
        *len = a->head_len;
        a->head_len = 0;
    }
    a->at_hand = *len;
    return true;
}

/* ---- what it is ---- */

static void name_single(struct olv_archive *a, const char *path)
{
    const char *name = olv_path_name(path);
    size_t len = strlen(name), suffix = strlen(olv_codec_suffix(olv_codec_of_name(name)));
    if (len >= sizeof a->name)
        len = sizeof a->name - 1;
    memcpy(a->name, name, len - suffix);
}

static bool is_zip(struct olv_archive *a, struct olv_error *err)
{
    uint8_t head[4] = {0};
    bool looks_so;
    if (a->source.size >= sizeof head && !pack_read(&a->source, head, sizeof head, 0, err))
        return false;
    looks_so = memcmp(head, "PK\3\4", 4) == 0 || memcmp(head, "PK\5\6", 4) == 0;
    if (looks_so)
        a->zip = zip_reader_new(&a->source, err);
    a->form = OLV_FORM_ZIP;
    return looks_so;
}

static bool detect_codec(struct olv_archive *a, struct olv_error *err)
{
    uint8_t head[CODEC_HEAD];
    size_t len = a->source.size < sizeof head ? (size_t)a->source.size : sizeof head;
    if (!pack_read(&a->source, head, len, 0, err))
        return false;
    a->codec = codec_detect(head, len);
    return true;
}

/* Examines the first unpacked bytes, and keeps them for the reader. Two blocks of zeros are an empty tar. */
static bool is_tar(struct olv_archive *a, struct olv_error *err)
{
    static const uint8_t zeros[2 * TAR_BLOCK];
    if (!unpack_next(a->unpack, &a->head, &a->head_len, err))
        return false;
    return (a->head_len >= TAR_BLOCK && tar_is_header(a->head)) ||
           (a->head_len >= sizeof zeros && memcmp(a->head, zeros, sizeof zeros) == 0);
}

static bool open_plain(struct olv_archive *a, const char *path, struct olv_error *err)
{
    if (!detect_codec(a, err))
        return false;
    a->unpack = unpack_new(&a->source, a->codec, olv_os_cpus(), err);
    if (!a->unpack)
        return false;
    if (is_tar(a, err)) {
        a->form = OLV_FORM_TAR;
        a->tar = tar_reader_new(&a->stream, 0);
        return a->tar || olv_fail_memory(err);
    }
    if (err->code != OLV_OK)
        return false;
    a->form = OLV_FORM_SINGLE;
    name_single(a, path);
    return a->codec != OLV_CODEC_NONE ||
           olv_fail(err, OLV_BROKEN,
                    a->source.size ? "it is not an archive: not tar, not zip, and not compressed"
                                   : "it is empty");
}

struct olv_archive *olv_archive_open(const char *path, struct olv_error *err)
{
    struct olv_archive *a = allocate(sizeof *a, err);
    bool ok;
    if (!a)
        return NULL;
    a->fd = open(path, O_RDONLY | O_NONBLOCK | O_NOCTTY | O_CLOEXEC);
    a->stream = (struct byte_stream){a, next_plain};
    if (a->fd < 0 || !olv_os_stat(a->fd, "", &a->stat)) {
        ok = olv_fail_system(err, path, "cannot open it");
    } else if (a->stat.kind != OLV_KIND_FILE) {
        ok = olv_fail(err, OLV_BROKEN, "it is not a regular file");
    } else {
        a->source = (struct pack_source){&a->fd, reading_source, a->stat.size_bytes};
        ok = is_zip(a, err) ? a->zip != NULL : err->code == OLV_OK && open_plain(a, path, err);
    }
    if (ok)
        return a;
    if (!*err->path)
        olv_error_at(err, path);
    olv_archive_close(a);
    return NULL;
}

void olv_archive_close(struct olv_archive *a)
{
    if (!a)
        return;
    tar_reader_free(a->tar);
    zip_reader_free(a->zip);
    unpack_free(a->unpack);
    olv_os_close(a->fd);
    free(a);
}

enum olv_archive_form olv_archive_form(const struct olv_archive *a)
{
    return a->form;
}

enum olv_codec olv_archive_codec(const struct olv_archive *a)
{
    return a->codec;
}

uint64_t olv_archive_size(const struct olv_archive *a)
{
    return a->stat.size_bytes;
}

uint64_t olv_archive_position(const struct olv_archive *a)
{
    return a->unpack ? unpack_position(a->unpack) : a->zip_position;
}

uint64_t olv_archive_unpacked(const struct olv_archive *a)
{
    return a->codec == OLV_CODEC_NONE ? 0 : a->unpacked;
}

void olv_archive_watch(struct olv_archive *a, bool (*go_on)(void *self, struct olv_error *err), void *self)
{
    a->go_on = go_on;
    a->watcher = self;
}

/* ---- members ---- */

/* The only member of a compressed file has that file's metadata. */
static bool single(struct olv_archive *a, struct olv_member *m)
{
    if (a->was_given)
        return false;
    a->was_given = true;
    *m = (struct olv_member){.path = a->name,
                             .link = "",
                             .kind = OLV_KIND_FILE,
                             .has_owner = true,
                             .mode = a->stat.mode,
                             .owner = a->stat.owner,
                             .group = a->stat.group,
                             .owner_name = "",
                             .group_name = "",
                             .packed_bytes = a->stat.size_bytes,
                             .modified = a->stat.modified,
                             .acl = "",
                             .acl_default = ""};
    return true;
}

bool olv_archive_next(struct olv_archive *a, struct olv_member *m, struct olv_error *err)
{
    if (a->tar)
        return tar_next(a->tar, m, err);
    if (!a->zip)
        return single(a, m);
    if (!zip_next(a->zip, m, err))
        return false;
    a->zip_position += m->packed_bytes;
    return true;
}

bool olv_archive_data(struct olv_archive *a, const uint8_t **bytes, size_t *len, uint64_t *at,
                      struct olv_error *err)
{
    if (a->tar)
        return tar_data(a->tar, bytes, len, at, err);
    if (a->zip)
        return zip_data(a->zip, bytes, len, at, err);
    if (!next_plain(a, bytes, len, err))
        return false;
    *at = a->given;
    a->given += *len;
    return true;
}

/* ---- behind damage ---- */

bool olv_archive_is_doubtful(const struct olv_archive *a)
{
    return a->unpack && unpack_is_doubtful(a->unpack);
}

/* Whether a member begins with the next unpacked bytes, which are kept for the reader. */
static bool begins_member(struct olv_archive *a, uint64_t at, struct olv_error *err)
{
    a->head_len = 0;
    return unpack_restart(a->unpack, at, err) && unpack_next(a->unpack, &a->head, &a->head_len, err) &&
           a->head_len >= TAR_BLOCK && tar_is_header(a->head);
}

/* In an uncompressed archive, block by block. */
static bool find_header(const struct olv_archive *a, uint64_t from, uint64_t *at, struct olv_error *err)
{
    uint8_t block[TAR_BLOCK];
    from += tar_padding(from);
    for (*at = from; *at + TAR_BLOCK <= a->source.size; *at += TAR_BLOCK)
        if (!pack_read(&a->source, block, sizeof block, *at, err))
            return false;
        else if (tar_is_header(block))
            return true;
    *at = a->source.size;
    return true;
}

bool olv_archive_go_on(struct olv_archive *a, struct olv_error *err)
{
    bool is_packed = a->codec != OLV_CODEC_NONE;
    uint64_t at = 0, from;
    if (!a->tar)
        return false;
    from = is_packed ? unpack_position(a->unpack) : tar_position(a->tar);
    while (is_packed ? frame_find(&a->source, a->codec, from, &at, err) : find_header(a, from, &at, err)) {
        if (at >= a->source.size)
            return false;
        if (begins_member(a, at, err)) {
            tar_reader_free(a->tar);
            a->tar = tar_reader_new(&a->stream, is_packed ? 0 : at);
            return a->tar || olv_fail_memory(err);
        }
        if (err->code != OLV_OK && err->code != OLV_BROKEN)
            return false;
        olv_error_clear(err);
        from = at + 1;
    }
    return false;
}

/* ---- which ones ---- */

bool olv_member_fits(const struct olv_member_filter *filter, const char *path)
{
    size_t len;
    path += strspn(path, "/");
    len = strlen(path);
    for (size_t i = 0; i < filter->count; i++)
        if (olv_pattern_fits_above(filter->patterns[i], path, len))
            return true;
    return filter->count == 0;
}
