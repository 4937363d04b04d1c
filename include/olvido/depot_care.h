/* SPDX-License-Identifier: Apache-2.0 */
/* Depot maintenance: reading everything back, and rebuilding the catalogue from the archives. */
#ifndef OLVIDO_DEPOT_CARE_H
#define OLVIDO_DEPOT_CARE_H

#include "olvido/depot.h"
#include "olvido/policy.h"

struct olv_depot_report {
    uint64_t archives, members, bytes; /* bytes read from disk */
    uint64_t damaged_archives, lost_members;
    uint64_t missing_archives, missing_members; /* in the catalogue, but not in the depot */
    uint64_t unread_archives;                   /* there, but could not be opened this time */
};

/* One fault. Strings are valid during the call. */
struct olv_depot_fault {
    const char *depot, *archive;
    const char *what;
    const char *path; /* of a lost file, or "" */
};

/* Reads back every archive of the depot (NULL: of all) and compares it with the catalogue; reports each
 * fault. True if the check could be made, whatever it found. */
bool olv_depot_verify(struct olv_catalogue *catalogue, const char *depot,
                      void (*fault)(void *self, const struct olv_depot_fault *fault), void *self,
                      const struct olv_observer *observer, struct olv_depot_report *report,
                      struct olv_error *err);

/* Without a catalogue nothing can be verified, which is sound only if the policy's depots are empty or
 * missing. False with OLV_BROKEN if they have files that are archives by their names, or if one cannot be
 * read. */
bool olv_depots_are_empty(const struct olv_policy *policy, struct olv_error *err);

/* Rebuilds the catalogue of the state directory from the manifests of the archives in the policy's depots (or
 * in the one named; NULL: all), and replaces what it knew of them. In a depot that others can write, only
 * archives that the ledger knows are taken; the others are reported as faults. No run uses the state
 * directory meanwhile. OLV_USAGE if the policy has no such depot. A depot that cannot be read, and those
 * after it, keep their entries. */
bool olv_depots_rebuild(const char *state, const struct olv_policy *policy, const char *depot,
                        void (*fault)(void *self, const struct olv_depot_fault *fault), void *self,
                        const struct olv_observer *observer, struct olv_depot_report *report,
                        struct olv_error *err);

#endif
