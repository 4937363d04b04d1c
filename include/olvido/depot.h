/* SPDX-License-Identifier: Apache-2.0 */
/* Depots: directories of archives. The catalogue in the state directory lists what they hold. */
#ifndef OLVIDO_DEPOT_H
#define OLVIDO_DEPOT_H

#include "olvido/archive.h"
#include "olvido/codec.h"
#include "olvido/entry.h"
#include "olvido/error.h"
#include "olvido/observer.h"
#include "olvido/policy.h"

struct olv_catalogue;
/* Opens the catalogue of a state directory for reading. NULL with an error; err->sys is ENOENT if there is
 * none because nothing has been archived yet. */
struct olv_catalogue *olv_catalogue_open(const char *state, struct olv_error *err);
void olv_catalogue_close(struct olv_catalogue *catalogue);

/* An archive. Strings are valid during the call. */
struct olv_stored_archive {
    int64_t id;
    const char *depot, *depot_path, *name;
    const char *run, *rule; /* the run that made it; `rule` is "" by hand */
    enum olv_codec codec;
    struct olv_instant made;
    uint64_t length; /* on disk */
    uint64_t members, bytes;
    const uint8_t *archive_id; /* the archive's own id: 16 bytes */
    const uint8_t *manifest;   /* SHA-256 of its manifest: 32 bytes */
};
/* Whether it knows, or has known, a depot of this name. OLV_UNKNOWN with `err`. */
enum olv_truth olv_catalogue_has_depot(struct olv_catalogue *catalogue, const char *name,
                                       struct olv_error *err);
/* Calls `each` for every archive, ordered by depot and name, until it returns false. */
bool olv_catalogue_archives(struct olv_catalogue *catalogue,
                            bool (*each)(void *self, const struct olv_stored_archive *archive), void *self,
                            struct olv_error *err);

/* As stored: an archive is `making` before anything of it is written, `live` once it has its name, and
 * `going` from the decision to remove it until its file is gone. Only live archives have members. */
enum olv_archive_state { OLV_ARCHIVE_MAKING = 0, OLV_ARCHIVE_LIVE = 1, OLV_ARCHIVE_GOING = 2 };
const char *olv_archive_state_word(enum olv_archive_state state); /* "making" */

/* An archive that is not live: what may be left of it, and where. Strings are valid during the call. */
struct olv_unfinished_archive {
    int64_t archive;
    enum olv_archive_state state;
    const char *depot, *depot_path, *name, *temporary, *run;
    bool has_file; /* the next three identify its file */
    uint64_t inode;
    bool has_born;
    struct olv_instant born;
    const uint8_t *manner; /* how it is to end, if not by unlinking alone: bytes of the engine's own */
    size_t manner_len;
    uint64_t length;
};
/* Calls `each` for every archive in this state, other than live, until it returns false. */
bool olv_catalogue_unfinished(struct olv_catalogue *catalogue, enum olv_archive_state state,
                              bool (*each)(void *self, const struct olv_unfinished_archive *unfinished),
                              void *self, struct olv_error *err);

/* A file in an archive. Strings are valid during the call. */
struct olv_stored_file {
    const char *path; /* absolute: its original path */
    const char *link; /* the target of a link */
    const char *twin; /* of a hard link: the absolute path of the member that has the contents; else "" */
    enum olv_kind kind;
    uint64_t size_bytes;
    struct olv_instant modified, archived;
    uint32_t mode, owner, group;
    const uint8_t *digest;     /* SHA-256 of its contents: 32 bytes, or NULL */
    const uint8_t *header;     /* SHA-256 of the headers at `begins` and `within` */
    int64_t archive;           /* its number in this catalogue */
    const uint8_t *archive_id; /* the archive's own id: 16 bytes */
    const char *depot, *depot_path, *archive_name, *run;
    enum olv_codec codec;
    uint64_t begins;                 /* where the frame with its header begins */
    uint64_t within;                 /* offset of the header in the frame's plain bytes */
    uint64_t own_begins, own_within; /* the same for a hard link itself, not its contents */
    const uint8_t *own_header;
    struct olv_instant accessed;
    bool has_clock; /* its rule went by a time other than modification or access: */
    enum olv_clock clock;
    struct olv_instant clock_time;
    const char *was; /* its name before Olvido's first act on it; "": the same */
    uint64_t was_bytes;
};
/* Calls `each` for every version of the file once at this path, oldest first. */
bool olv_catalogue_versions(struct olv_catalogue *catalogue, const char *path,
                            bool (*each)(void *self, const struct olv_stored_file *file), void *self,
                            struct olv_error *err);
/* The same for what was at this path (without a trailing slash) and, if it was a directory, everything below
 * it. */
bool olv_catalogue_tree(struct olv_catalogue *catalogue, const char *top,
                        bool (*each)(void *self, const struct olv_stored_file *file), void *self,
                        struct olv_error *err);
enum olv_stored_order { OLV_STORED_BY_PATH /* then oldest archive first */, OLV_STORED_BY_ARCHIVE };
/* Calls `each` for every file in depots, until it returns false. */
bool olv_catalogue_files(struct olv_catalogue *catalogue, enum olv_stored_order order,
                         bool (*each)(void *self, const struct olv_stored_file *file), void *self,
                         struct olv_error *err);

#endif
