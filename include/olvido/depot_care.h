/* SPDX-License-Identifier: Apache-2.0 */
/* Looking after depots: reading everything back, and reading the catalogue anew from the archives. */
#ifndef OLVIDO_DEPOT_CARE_H
#define OLVIDO_DEPOT_CARE_H

#include "olvido/depot.h"
#include "olvido/policy.h"

struct olv_depot_report {
    uint64_t archives, members, bytes; /* bytes on the disk that were read */
    uint64_t damaged_archives, lost_members;
    uint64_t missing_archives, missing_members; /* in the catalogue, and not in the depot */
    uint64_t unread_archives;                   /* there, and could not be opened just now */
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

/* How many files in the directories of the policy's depots are archives by their names, as far as those can
 * be read. */
uint64_t olv_depots_count(const struct olv_policy *policy);

/* Reads the archives of the policy's depots (or of the one of this name; NULL: of all) anew, from their
 * manifests alone, into the catalogue of the state directory: what it knew of them is replaced. Of a depot
 * that others can write, only those archives that the ledger knows; the others are told as faults. No run
 * works with the state directory meanwhile. OLV_USAGE where the policy has no such depot. Where one cannot be
 * read, it and those behind it stay as they are in the catalogue. */
bool olv_depots_rebuild(const char *state, const struct olv_policy *policy, const char *depot,
                        void (*fault)(void *self, const struct olv_depot_fault *fault), void *self,
                        const struct olv_observer *observer, struct olv_depot_report *report,
                        struct olv_error *err);

#endif
