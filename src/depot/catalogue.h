/* SPDX-License-Identifier: Apache-2.0 */
/* The catalogue: which archives lie in which depots, and what is in them. It is a convenience: all of it
 * stands in the archives' manifests, too, and is read from them again when it is lost.
 * docs/formats/archive.md describes its tables. */
#ifndef OLV_DEPOT_CATALOGUE_H
#define OLV_DEPOT_CATALOGUE_H

#include "archive/make.h"
#include "olvido/depot.h"
#include "olvido/text.h"

/* Opens (or, with `create`, makes) the catalogue of a state directory. NULL with OLV_STATE where it is
 * damaged, newer than this version, or not there (err->sys is ENOENT then). */
struct olv_catalogue *catalogue_open(const char *state, bool create, struct olv_error *err);

/* Whether all of it can be read, as far as SQLite's quick check tells. */
bool catalogue_is_sound(struct olv_catalogue *catalogue);

/* ---- putting ---- */

struct catalogue_archive {
    const char *depot, *depot_path; /* its name, and the directory */
    const char *name;               /* of the archive, in that directory */
    const char *run, *rule;
    enum olv_codec codec;
    struct olv_instant made;
    uint64_t length, members, bytes;
    size_t manifest_frame; /* the first of the manifest's */
};

/* Everything from here to catalogue_end is there as a whole, or not at all. */
bool catalogue_begin(struct olv_catalogue *catalogue, struct olv_error *err);
bool catalogue_put_member(struct olv_catalogue *catalogue, const struct made_member *made,
                          struct olv_error *err);
bool catalogue_end(struct olv_catalogue *catalogue, const struct catalogue_archive *archive,
                   const struct frame_list *frames, struct olv_error *err);
/* The same, and `replaced` is forgotten with it. */
bool catalogue_end_replacing(struct olv_catalogue *catalogue, const struct catalogue_archive *archive,
                             const struct frame_list *frames, int64_t replaced, struct olv_error *err);
/* Forgets what was put since catalogue_begin. */
void catalogue_abandon(struct olv_catalogue *catalogue);
/* Forgets an archive. */
bool catalogue_forget(struct olv_catalogue *catalogue, int64_t archive, struct olv_error *err);

/* What is known of the archive in this directory with this name; `id` is 0 where there is none. */
struct catalogue_known {
    int64_t id;
    char depot[65], run[64], rule[80];
    enum olv_codec codec;
    struct olv_instant made;
    size_t manifest_frame;
};
bool catalogue_find_archive(struct olv_catalogue *catalogue, const char *depot_path, const char *name,
                            struct catalogue_known *out, struct olv_error *err);
/* The path of the archive into which a run has put the file with this path; false where there is none. */
bool catalogue_find_of_run(struct olv_catalogue *catalogue, const char *path, const char *run,
                           struct olv_text *out);
/* Calls `each` for every file in an archive, in the order in which they lie in it. */
bool catalogue_each_member(struct olv_catalogue *catalogue, int64_t archive,
                           bool (*each)(void *self, const struct olv_stored_file *file), void *self,
                           struct olv_error *err);

/* The frames of an archive. */
bool catalogue_frames(struct olv_catalogue *catalogue, int64_t archive, struct frame_list *out,
                      struct olv_error *err);

/* ---- steps that files have had ---- */

struct catalogue_had {
    const char *path; /* absolute */
    enum olv_act_id act;
    uint64_t size_bytes; /* both as they are now: what somebody has changed has had nothing */
    struct olv_instant modified;
    const char *was_name; /* before the act; "" where the act left it as it was */
    uint64_t was_bytes;
};
/* Remembers it, as soon as catalogue_remembered has brought it to the disk. */
bool catalogue_remember(struct olv_catalogue *catalogue, const struct catalogue_had *had,
                        struct olv_error *err);
bool catalogue_remembered(struct olv_catalogue *catalogue, struct olv_error *err);
/* Whether it has had that step, and what it was called before ("": the same). `had->was_name` is not read. */
bool catalogue_find_had(struct olv_catalogue *catalogue, const struct catalogue_had *had,
                        char was_name[NAME_MAX + 1], uint64_t *was_bytes);

#endif
