/* SPDX-License-Identifier: Apache-2.0 */
/* The catalogue: which archives lie in which depots, and what is in them. It is a convenience: all of it
 * stands in the archives' manifests, too, and is read from them again when it is lost.
 * docs/formats/archive.md describes its tables. */
#ifndef OLV_DEPOT_CATALOGUE_H
#define OLV_DEPOT_CATALOGUE_H

#include "archive/make.h"
#include "olvido/depot.h"
#include "olvido/text.h"
#include "os/database.h"

/* Opens (or, with DATABASE_MAKE, makes) the catalogue of a state directory. NULL with OLV_STATE where it is
 * damaged, newer than this version, or not there (err->sys is ENOENT then). */
struct olv_catalogue *catalogue_open(const char *state, enum database_use use, struct olv_error *err);

/* The same for another file; see rebuild.c. */
struct olv_catalogue *catalogue_open_as(const char *directory, const char *name, enum database_use use,
                                        struct olv_error *err);

/* Whether it is what was written; see database_check. */
bool catalogue_check(struct olv_catalogue *catalogue, bool *is_sound, struct olv_error *err);
/* Who is asked for room when the disk is full; see struct database. */
void catalogue_on_full(struct olv_catalogue *catalogue, bool (*more_room)(void *self, struct olv_error *err),
                       void *self);
/* Puts everything that is in one catalogue in the place of everything in the other, in one transaction. */
bool catalogue_copy(struct olv_catalogue *from, struct olv_catalogue *to, struct olv_error *err);

/* ---- an archive's life ----
 *
 * making -> live -> going. A row is `making` before anything of the archive is written, and says what would
 * be left of it. It becomes `live` when the archive has its name and that is on the disk; the one that it
 * replaces becomes `going` in the same transaction. What is `going` is unlinked, and then its row goes. No
 * transaction is open while files are read or written. */

enum { ARCHIVE_ID = 16 };

struct catalogue_archive {
    const char *depot, *depot_path; /* its name, and the directory */
    const char *name;               /* of the archive, in that directory */
    const char *run, *rule;
    enum olv_codec codec;
    struct olv_instant made;
    uint8_t id[ARCHIVE_ID]; /* its own, which stands in its manifest, too */
    uint64_t length, members, bytes;
    size_t manifest_frame;             /* the first of the manifest's */
    uint8_t manifest[OLV_SHA256_SIZE]; /* SHA-256 of the manifest */
    bool is_recorded;                  /* the ledger has a line about it */
};

/* Adds an archive in the state making, before there is a file. `temporary` is what that is called until it
 * gets its name. 0 with OLV_STATE. */
int64_t catalogue_make(struct olv_catalogue *catalogue, const struct catalogue_archive *archive,
                       const char *temporary, struct olv_error *err);
/* Says the name that it is about to get, and what the file is known by. OLV_EXISTS where the catalogue knows
 * another one of that name. */
bool catalogue_name(struct olv_catalogue *catalogue, int64_t archive, const char *name,
                    const struct olv_stat *file, struct olv_error *err);
/* Adds a member of the one under way; brought in many at a time. */
bool catalogue_put_member(struct olv_catalogue *catalogue, int64_t archive, const struct made_member *made,
                          struct olv_error *err);
/* The digest of a member's headers, which was not known when it was added. All are brought in at once. */
struct catalogue_header {
    uint64_t at; /* of the member */
    uint8_t header[OLV_SHA256_SIZE];
};
bool catalogue_put_headers(struct olv_catalogue *catalogue, int64_t archive,
                           const struct catalogue_header *headers, size_t count, struct olv_error *err);
/* One that is to go, and what its file is known by. */
struct catalogue_replaced {
    int64_t archive;
    struct olv_stat file;
};
/* It is live, and `replaced` (NULL: none) is going. False with OLV_CHANGED where that one was not live any
 * more, and then nothing has changed. */
bool catalogue_publish(struct olv_catalogue *catalogue, int64_t archive,
                       const struct catalogue_archive *facts, const struct frame_list *frames,
                       const struct catalogue_replaced *replaced, struct olv_error *err);
/* The same for what is in place already: `replaced` (0: none) is forgotten, and its name is taken over. */
bool catalogue_adopt(struct olv_catalogue *catalogue, int64_t archive, const struct catalogue_archive *facts,
                     const struct frame_list *frames, int64_t replaced, struct olv_error *err);
/* A live one is going. False with OLV_CHANGED where it was not live. */
bool catalogue_let_go(struct olv_catalogue *catalogue, const struct catalogue_replaced *replaced,
                      struct olv_error *err);
/* Calls `each` for every live archive about which the ledger has no line yet; stops when it returns false. */
bool catalogue_unrecorded(struct olv_catalogue *catalogue,
                          bool (*each)(void *self, const struct olv_stored_archive *archive), void *self,
                          struct olv_error *err);
/* It has one about all that are live now. */
bool catalogue_note_recorded(struct olv_catalogue *catalogue, struct olv_error *err);
/* Forgets an archive in whatever state. */
bool catalogue_forget(struct olv_catalogue *catalogue, int64_t archive, struct olv_error *err);

/* The state of the archive with this id. False where there is none, or with `err`. */
bool catalogue_find_state(struct olv_catalogue *catalogue, const uint8_t id[ARCHIVE_ID],
                          enum olv_archive_state *out, struct olv_error *err);

/* What is known of the live archive in this directory with this name; `row` is 0 where there is none. */
struct catalogue_known {
    int64_t row;
    uint8_t id[ARCHIVE_ID];
    char depot[65], run[64], rule[80];
    enum olv_codec codec;
    struct olv_instant made;
    size_t manifest_frame;
};
bool catalogue_find_archive(struct olv_catalogue *catalogue, const char *depot_path, const char *name,
                            struct catalogue_known *out, struct olv_error *err);
/* The path of the archive into which a run has put the file with this path. OLV_NO where there is none;
 * OLV_UNKNOWN with `err` where that cannot be read. */
enum olv_truth catalogue_find_of_run(struct olv_catalogue *catalogue, const char *path, const char *run,
                                     struct olv_text *out, struct olv_error *err);
/* Calls `each` for every file in an archive, in the order in which they lie in it. */
bool catalogue_each_member(struct olv_catalogue *catalogue, int64_t archive,
                           bool (*each)(void *self, const struct olv_stored_file *file), void *self,
                           struct olv_error *err);

/* The frames of an archive. */
bool catalogue_frames(struct olv_catalogue *catalogue, int64_t archive, struct frame_list *out,
                      struct olv_error *err);

#endif
