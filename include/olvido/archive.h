/* SPDX-License-Identifier: Apache-2.0 */
/* Archives of any common kind, read: tar (ours and others', packed or not), zip, and single packed files. */
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
    OLV_FORM_SINGLE /* one packed file, whose name is that of the archive without its suffix */
};

struct olv_archive;
/* NULL with OLV_BROKEN where the file is none of these. */
struct olv_archive *olv_archive_open(const char *path, struct olv_error *err);
enum olv_archive_form olv_archive_form(const struct olv_archive *archive);
/* By what all of it is packed; OLV_CODEC_NONE for zip, too. */
enum olv_codec olv_archive_codec(const struct olv_archive *archive);
/* Its length on the disk, and how much of that was read up to now. */
uint64_t olv_archive_size(const struct olv_archive *archive);
uint64_t olv_archive_position(const struct olv_archive *archive);
/* How much of it was unpacked up to now, whether or not anybody wanted it; of a zip, and of what is not
 * packed, nothing is that nobody wants. */
uint64_t olv_archive_unpacked(const struct olv_archive *archive);
/* Asked from time to time while it is unpacked: false with `err` stops that. */
void olv_archive_watch(struct olv_archive *archive, bool (*go_on)(void *self, struct olv_error *err),
                       void *self);
/* The next member, borrowed until the next call. False at the end (err->code is OLV_OK) or with OLV_BROKEN.
 * The size of a single packed file is known only when it was read. */
bool olv_archive_next(struct olv_archive *archive, struct olv_member *out, struct olv_error *err);
/* The next data of the member: `*len` bytes that belong at `*at`; `*len` is 0 when there is no more. */
bool olv_archive_data(struct olv_archive *archive, const uint8_t **bytes, size_t *len, uint64_t *at,
                      struct olv_error *err);
/* Whether the data given last may be altered, for the checksum that tells comes behind it and may be wrong.
 */
bool olv_archive_is_doubtful(const struct olv_archive *archive);
/* After OLV_BROKEN from these two: goes on with the first member that begins behind the damage. False where
 * there is none, or (with an error) where it cannot be looked for. */
bool olv_archive_go_on(struct olv_archive *archive, struct olv_error *err);
void olv_archive_close(struct olv_archive *archive);

/* Which members are meant: none, and all are. A pattern with a slash fits a path, what lies below it, and
 * what it matches as a pattern; one without fits any last component likewise. A slash in front does not
 * matter. */
struct olv_member_filter {
    const char *const *patterns;
    size_t count;
};
bool olv_member_fits(const struct olv_member_filter *filter, const char *path);

/* Gives every member that is meant, with its size. Goes on behind damage, and fails in the end with what was
 * met first. */
bool olv_archive_each(struct olv_archive *archive, const struct olv_member_filter *filter,
                      void (*each)(void *self, const struct olv_member *member), void *self,
                      const struct olv_observer *observer, struct olv_error *err);

struct olv_extract_options {
    const char *into; /* a directory; made if it is missing */
    struct olv_member_filter filter;
    enum olv_if_exists if_exists;
    bool keeps_owners; /* also set-id bits, access control lists and the attributes that only root may set */
    bool makes_devices;
    uint64_t most_bytes; /* in all; 0: as honest archives do */
};

struct olv_extract_result {
    bool reached_end;
    uint64_t done, bytes; /* members, and what they hold */
    uint64_t refused; /* their places are taken, or lead out of the directory; devices without being asked */
    uint64_t failed;
    uint64_t fitting; /* members that the filter let through */
    uint64_t
        lost; /* of these, what the archive does not hold any more, or not as it was put in: it is damaged */
};

/* Takes an archive apart. Nothing is ever written outside of `into`: names that lead out of it are refused,
 * and links are never followed. What goes wrong with a member is told to the observer. A damaged archive is
 * taken apart as far as it can be: `lost` is counted, or, where nothing behind the damage can be read, it
 * stops. False when it stopped, or with OLV_BROKEN where anything was damaged; the result says what was done.
 */
bool olv_extract(struct olv_archive *archive, const struct olv_extract_options *options,
                 const struct olv_observer *observer, struct olv_extract_result *result,
                 struct olv_error *err);

#endif
