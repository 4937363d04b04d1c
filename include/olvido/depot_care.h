/* SPDX-License-Identifier: Apache-2.0 */
/* Looking after depots: reading everything back, and reading the catalogue anew from the archives. */
#ifndef OLVIDO_DEPOT_CARE_H
#define OLVIDO_DEPOT_CARE_H

#include "olvido/depot.h"

struct olv_depot_report {
    uint64_t archives, members, bytes; /* bytes on the disk that were read */
    uint64_t damaged_archives, lost_members;
    uint64_t missing_archives; /* in the catalogue, and not in the depot */
};

/* Something that is wrong. Strings are borrowed for the call. */
struct olv_depot_fault {
    const char *depot, *archive;
    const char *what;
    const char *path; /* of a file that is lost, or "" */
};

/* Reads back every archive of the depot (NULL: of all) and compares it with the catalogue; tells each fault.
 * True when it could be examined, whatever was found. */
bool olv_depot_verify(struct olv_catalogue *catalogue, const char *depot,
                      void (*fault)(void *self, const struct olv_depot_fault *fault), void *self,
                      const struct olv_observer *observer, struct olv_depot_report *report,
                      struct olv_error *err);

/* How many files in the directory of a depot are archives by their names. */
bool olv_depot_count(const char *path, uint64_t *out, struct olv_error *err);

/* Reads the archives in a directory anew, from their manifests alone, into the catalogue of the state
 * directory: what it knew of this depot is replaced. Of a depot that others can write, only those archives
 * that the ledger knows; the others are told as faults. The caller holds the lock of the state directory. */
bool olv_depot_rebuild(const char *state, const char *depot, const char *path,
                       void (*fault)(void *self, const struct olv_depot_fault *fault), void *self,
                       const struct olv_observer *observer, struct olv_depot_report *report,
                       struct olv_error *err);

#endif
