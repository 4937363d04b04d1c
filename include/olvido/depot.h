/* SPDX-License-Identifier: Apache-2.0 */
/* Depots: directories in which archives lie, known by the catalogue in the state directory. */
#ifndef OLVIDO_DEPOT_H
#define OLVIDO_DEPOT_H

#include "olvido/archive.h"
#include "olvido/codec.h"
#include "olvido/entry.h"
#include "olvido/error.h"
#include "olvido/observer.h"
#include "olvido/policy.h"

struct olv_catalogue;
/* Opens the catalogue of a state directory for reading. NULL with an error; err->sys is ENOENT when there is
 * none, for nothing was archived yet. */
struct olv_catalogue *olv_catalogue_open(const char *state, struct olv_error *err);
void olv_catalogue_close(struct olv_catalogue *catalogue);

/* An archive. Strings are borrowed for the call. */
struct olv_stored_archive {
    int64_t id;
    const char *depot, *depot_path, *name;
    const char *run, *rule; /* by which it was made; `rule` "" by hand */
    enum olv_codec codec;
    struct olv_instant made;
    uint64_t length; /* on the disk */
    uint64_t members, bytes;
    const uint8_t *archive_id; /* the id that it has of its own: 16 bytes */
    const uint8_t *manifest;   /* SHA-256 of its manifest: 32 bytes */
};
/* Calls `each` for every archive, by depot and name; stops when it returns false. */
bool olv_catalogue_archives(struct olv_catalogue *catalogue,
                            bool (*each)(void *self, const struct olv_stored_archive *archive), void *self,
                            struct olv_error *err);

/* As stored: an archive is `making` before anything of it is written, `live` when it has its name, and
 * `going` from when it is to be removed until its file is gone. Only what is live has members. */
enum olv_archive_state { OLV_ARCHIVE_MAKING = 0, OLV_ARCHIVE_LIVE = 1, OLV_ARCHIVE_GOING = 2 };
const char *olv_archive_state_word(enum olv_archive_state state); /* "making" */

/* One that is not live: what may be left of it, and where. Strings are borrowed for the call. */
struct olv_unfinished_archive {
    int64_t archive;
    enum olv_archive_state state;
    const char *depot, *depot_path, *name, *temporary, *run;
    bool has_file; /* its file is known by the next three */
    uint64_t inode;
    bool has_born;
    struct olv_instant born;
};
/* Calls `each` for every archive in this state, which is not live; stops when it returns false. */
bool olv_catalogue_unfinished(struct olv_catalogue *catalogue, enum olv_archive_state state,
                              bool (*each)(void *self, const struct olv_unfinished_archive *unfinished),
                              void *self, struct olv_error *err);

/* A file in an archive. Strings are borrowed for the call. */
struct olv_stored_file {
    const char *path; /* absolute: where it was */
    const char *link; /* of a link: where it points to */
    const char *twin; /* of a hard link: the absolute path of the member that has the contents; else "" */
    enum olv_kind kind;
    uint64_t size_bytes;
    struct olv_instant modified, archived;
    uint32_t mode, owner, group;
    const uint8_t *digest;     /* SHA-256 of its contents: 32 bytes, or NULL */
    const uint8_t *header;     /* the same of the headers that stand at `begins` and `within` */
    int64_t archive;           /* its number in this catalogue */
    const uint8_t *archive_id; /* the id that it has of its own: 16 bytes */
    const char *depot, *depot_path, *archive_name, *run;
    enum olv_codec codec;
    uint64_t begins;                 /* where the frame begins in which its header is */
    uint64_t within;                 /* and where in the frame's plain bytes */
    uint64_t own_begins, own_within; /* the same of a hard link itself, not of the contents */
    const uint8_t *own_header;
    struct olv_instant accessed;
    bool has_clock; /* its rule went by another time than modification or access: */
    enum olv_clock clock;
    struct olv_instant clock_time;
    const char *was; /* what it was called before Olvido's first act on it; "": the same */
    uint64_t was_bytes;
};
/* Calls `each` for every version of the file that was at this path, the oldest first. */
bool olv_catalogue_versions(struct olv_catalogue *catalogue, const char *path,
                            bool (*each)(void *self, const struct olv_stored_file *file), void *self,
                            struct olv_error *err);
/* The same for what was at this path and, if that was a directory, for all that was below it; without a slash
 * at its end. */
bool olv_catalogue_tree(struct olv_catalogue *catalogue, const char *top,
                        bool (*each)(void *self, const struct olv_stored_file *file), void *self,
                        struct olv_error *err);
enum olv_stored_order { OLV_STORED_BY_PATH /* and then from the oldest archive on */, OLV_STORED_BY_ARCHIVE };
/* Calls `each` for every file in depots; stops when it returns false. */
bool olv_catalogue_files(struct olv_catalogue *catalogue, enum olv_stored_order order,
                         bool (*each)(void *self, const struct olv_stored_file *file), void *self,
                         struct olv_error *err);

#endif
