/* SPDX-License-Identifier: Apache-2.0 */
/* The catalogue: which archives are in which depots, and what they contain. It is a convenience: the
 * archives' manifests say all of it, too, and a lost catalogue is rebuilt from them. docs/formats/archive.md
 * describes its tables. */
#ifndef OLV_DEPOT_CATALOGUE_H
#define OLV_DEPOT_CATALOGUE_H

#include "archive/make.h"
#include "olvido/depot.h"
#include "olvido/text.h"
#include "os/database.h"

/* Opens (or, with DATABASE_MAKE, creates) the catalogue of a state directory. NULL with OLV_STATE if it is
 * damaged, newer than this version, or missing (then err->sys is ENOENT). */
struct olv_catalogue *catalogue_open(const char *state, enum database_use use, struct olv_error *err);

/* The same for another file; see rebuild.c. */
struct olv_catalogue *catalogue_open_as(const char *directory, const char *name, enum database_use use,
                                        struct olv_error *err);

/* Whether it is undamaged; see database_check. */
bool catalogue_check(struct olv_catalogue *catalogue, bool *is_sound, struct olv_error *err);
/* Who makes room when the disk is full; see struct database. */
void catalogue_on_full(struct olv_catalogue *catalogue, bool (*more_room)(void *self, struct olv_error *err),
                       void *self);
/* Replaces the contents of one catalogue by another's, in one transaction. */
bool catalogue_copy(struct olv_catalogue *from, struct olv_catalogue *to, struct olv_error *err);

/* ---- an archive's life ----
 *
 * making -> live -> going. A row is `making` before anything of the archive is written, and says what a crash
 * would leave. It becomes `live` once its name is durable, and in the same transaction the one it replaces
 * becomes `going`. A `going` file is unlinked, then its row is deleted. No transaction is open while files
 * are read or written. */

enum { ARCHIVE_ID = 16 };

struct catalogue_archive {
    const char *depot, *depot_path; /* the depot's name and directory */
    const char *name;               /* of the archive, in that directory */
    const char *run, *rule;
    enum olv_codec codec;
    struct olv_instant made;
    uint8_t id[ARCHIVE_ID]; /* its own, also in its manifest */
    uint64_t length, members, bytes;
    size_t manifest_frame;             /* the manifest's first frame */
    uint8_t manifest[OLV_SHA256_SIZE]; /* SHA-256 of the manifest */
    bool is_recorded;                  /* the ledger has a line about it */
};

/* Adds an archive in the state making, before its file exists. `temporary` is the file's name until it is
 * published. 0 with OLV_STATE. */
int64_t catalogue_make(struct olv_catalogue *catalogue, const struct catalogue_archive *archive,
                       const char *temporary, struct olv_error *err);
/* Records the name it is about to get, and its file's identity. OLV_EXISTS if the catalogue has another one
 * of that name. */
bool catalogue_name(struct olv_catalogue *catalogue, int64_t archive, const char *name,
                    const struct olv_stat *file, struct olv_error *err);
/* Adds a member of the archive being made; members are inserted many at a time. */
bool catalogue_put_member(struct olv_catalogue *catalogue, int64_t archive, const struct made_member *made,
                          struct olv_error *err);
/* Inserts those that wait. */
bool catalogue_flush(struct olv_catalogue *catalogue, struct olv_error *err);
/* The digest of a member's headers, unknown when it was added. All are inserted at once. */
struct catalogue_header {
    uint64_t at; /* of the member */
    uint8_t header[OLV_SHA256_SIZE];
};
bool catalogue_put_headers(struct olv_catalogue *catalogue, int64_t archive,
                           const struct catalogue_header *headers, size_t count, struct olv_error *err);
/* An archive to remove, its file's identity, and how it is to end, if not by unlinking alone; see
 * source/ending.h. */
struct catalogue_replaced {
    int64_t archive;
    struct olv_stat file;
    struct olv_text manner; /* borrowed */
};
/* Makes it live, and `replaced` (NULL: none) going. False with OLV_CHANGED if that one was not live any more;
 * then nothing changes. */
bool catalogue_publish(struct olv_catalogue *catalogue, int64_t archive,
                       const struct catalogue_archive *facts, const struct frame_list *frames,
                       const struct catalogue_replaced *replaced, struct olv_error *err);
/* The same for an archive already in place: deletes `replaced` (0: none), and takes over its name. */
bool catalogue_adopt(struct olv_catalogue *catalogue, int64_t archive, const struct catalogue_archive *facts,
                     const struct frame_list *frames, int64_t replaced, struct olv_error *err);
/* Makes a live one going. False with OLV_CHANGED if it was not live. */
bool catalogue_let_go(struct olv_catalogue *catalogue, const struct catalogue_replaced *replaced,
                      struct olv_error *err);
/* Calls `each` for every live archive without a line in the ledger, until it returns false. */
bool catalogue_unrecorded(struct olv_catalogue *catalogue,
                          bool (*each)(void *self, const struct olv_stored_archive *archive), void *self,
                          struct olv_error *err);
/* All live archives have a line now. */
bool catalogue_note_recorded(struct olv_catalogue *catalogue, struct olv_error *err);
/* Deletes an archive in any state. */
bool catalogue_forget(struct olv_catalogue *catalogue, int64_t archive, struct olv_error *err);

/* The state of the archive with this id. False if there is none, or with `err`. */
bool catalogue_find_state(struct olv_catalogue *catalogue, const uint8_t id[ARCHIVE_ID],
                          enum olv_archive_state *out, struct olv_error *err);

/* What is known of the live archive with this name in this directory; `row` is 0 if there is none. */
struct catalogue_known {
    int64_t row;
    uint8_t id[ARCHIVE_ID];
    char depot[65], run[64], rule[80];
    enum olv_codec codec;
    struct olv_instant made;
    size_t manifest_frame;
    uint64_t length;
    bool has_manifest; /* its digest is known: */
    uint8_t manifest[OLV_SHA256_SIZE];
};
/* The same for a row, in any state. */
bool catalogue_find_row(struct olv_catalogue *catalogue, int64_t row, struct catalogue_known *out,
                        struct olv_error *err);
bool catalogue_find_archive(struct olv_catalogue *catalogue, const char *depot_path, const char *name,
                            struct catalogue_known *out, struct olv_error *err);
/* The path of the archive into which a run put the file of this path. OLV_NO if there is none; OLV_UNKNOWN
 * with `err` if that cannot be read. */
enum olv_truth catalogue_find_of_run(struct olv_catalogue *catalogue, const char *path, const char *run,
                                     struct olv_text *out, struct olv_error *err);
/* Calls `each` for every file in an archive, in archive order. */
bool catalogue_each_member(struct olv_catalogue *catalogue, int64_t archive,
                           bool (*each)(void *self, const struct olv_stored_file *file), void *self,
                           struct olv_error *err);

/* A member of an archive in any state: of one that is being made, all that is known. Strings are valid during
 * the call.
 */
struct catalogue_made {
    const char *path; /* absolute */
    enum olv_kind kind;
    uint64_t size_bytes;
    struct olv_instant modified;
    const uint8_t *digest; /* SHA-256 of its contents, or NULL */
    bool is_twin;          /* it is a hard link of another member */
};
/* Calls `each` for every member of this row, until it returns false. */
bool catalogue_each_made(struct olv_catalogue *catalogue, int64_t row,
                         bool (*each)(void *self, const struct catalogue_made *member), void *self,
                         struct olv_error *err);

/* The frames of an archive. */
bool catalogue_frames(struct olv_catalogue *catalogue, int64_t archive, struct frame_list *out,
                      struct olv_error *err);

#endif
