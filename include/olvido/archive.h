/* SPDX-License-Identifier: Apache-2.0 */
/* Reads archives of any common kind: tar (ours and others', compressed or not), zip, and single compressed
 * files. */
#ifndef OLVIDO_ARCHIVE_H
#define OLVIDO_ARCHIVE_H

#include "olvido/codec.h"
#include "olvido/docket.h"
#include "olvido/error.h"
#include "olvido/member.h"
#include "olvido/observer.h"

enum olv_archive_form {
    OLV_FORM_TAR,
    OLV_FORM_ZIP,
    OLV_FORM_SINGLE /* one compressed file, named like the archive without its suffix */
};

struct olv_archive;
/* NULL with OLV_BROKEN if the file is none of these. */
struct olv_archive *olv_archive_open(const char *path, struct olv_error *err);
enum olv_archive_form olv_archive_form(const struct olv_archive *archive);
/* The codec of the whole file; OLV_CODEC_NONE also for zip. */
enum olv_codec olv_archive_codec(const struct olv_archive *archive);
/* Its length on disk, and how much of that has been read so far. */
uint64_t olv_archive_size(const struct olv_archive *archive);
uint64_t olv_archive_position(const struct olv_archive *archive);
/* How many bytes have been unpacked so far, wanted or not. Zip and uncompressed archives unpack only what is
 * wanted. */
uint64_t olv_archive_unpacked(const struct olv_archive *archive);
/* Called from time to time while unpacking; returning false with `err` stops it. */
void olv_archive_watch(struct olv_archive *archive, bool (*go_on)(void *self, struct olv_error *err),
                       void *self);
/* The next member, borrowed until the next call. False at the end (err->code is OLV_OK) or with OLV_BROKEN.
 * The size of a single compressed file is known only after reading it. */
bool olv_archive_next(struct olv_archive *archive, struct olv_member *out, struct olv_error *err);
/* The next data of the member: `*len` bytes that belong at offset `*at`; `*len` is 0 at the end. */
bool olv_archive_data(struct olv_archive *archive, const uint8_t **bytes, size_t *len, uint64_t *at,
                      struct olv_error *err);
/* Whether the data last returned may be corrupt: its checksum comes later and may not match. */
bool olv_archive_is_doubtful(const struct olv_archive *archive);
/* After OLV_BROKEN from these two: resumes at the first member that begins after the damage. False if there
 * is none, or (with an error) if the search fails. */
bool olv_archive_go_on(struct olv_archive *archive, struct olv_error *err);
void olv_archive_close(struct olv_archive *archive);

/* Which members are wanted; no patterns means all. A pattern with a slash matches a path and everything below
 * it; one without matches any last component. A leading slash is ignored. */
struct olv_member_filter {
    struct olv_pattern *const *patterns;
    size_t count;
};
bool olv_member_fits(const struct olv_member_filter *filter, const char *path);

/* Calls `each` for every wanted member, with its size. Continues after damage, and fails at the end with the
 * first error. */
bool olv_archive_each(struct olv_archive *archive, const struct olv_member_filter *filter,
                      void (*each)(void *self, const struct olv_member *member), void *self,
                      const struct olv_observer *observer, struct olv_error *err);

struct olv_extract_options {
    const char *into; /* a directory; created if missing */
    struct olv_member_filter filter;
    enum olv_if_exists if_exists;
    bool keeps_owners; /* restores set-id bits, access control lists and root-only attributes, too */
    bool makes_devices;
    uint64_t most_bytes; /* in total; 0: what an honest archive needs */
};

struct olv_extract_result {
    bool reached_end;
    uint64_t done, bytes; /* members, and their bytes */
    uint64_t refused; /* the place is taken or lies outside the directory, or a device without permission to
                         make it */
    uint64_t failed;
    uint64_t fitting; /* members that match the filter */
    uint64_t lost;    /* of these, members lost or altered by damage */
};

/* Extracts an archive. Nothing is ever written outside `into`: names that lead out of it are refused, and
 * links are never followed. Problems with a member go to the observer. A damaged archive is extracted as far
 * as possible: `lost` counts the rest, or extraction stops if nothing after the damage is readable. False if
 * it stopped, or with OLV_BROKEN if anything was damaged; the result says what was done. */
bool olv_extract(struct olv_archive *archive, const struct olv_extract_options *options,
                 const struct olv_observer *observer, struct olv_extract_result *result,
                 struct olv_error *err);

#endif
