/* SPDX-License-Identifier: Apache-2.0 */
/* An archive goes into the catalogue anew, from nothing but its own bytes. */
#ifndef OLV_DEPOT_REREAD_H
#define OLV_DEPOT_REREAD_H

#include "depot/catalogue.h"
#include "olvido/depot_care.h"

struct reread_options {
    struct olv_catalogue *catalogue;
    const char *depot, *path; /* its name, and the directory */
    int dir;                  /* open */
    /* Whether it may be taken into the catalogue; NULL: any may. */
    bool (*may_be_ours)(void *self, const struct catalogue_archive *archive);
    /* Damage that does not keep it out of the catalogue. */
    void (*fault)(void *self, const struct olv_depot_fault *fault);
    void *self;
    const struct olv_observer *observer;
    uint64_t archives, bytes; /* read before, for who watches */
    uint64_t of_archives, of_bytes;
};

struct reread_result {
    uint64_t members, bytes; /* `bytes`: of the archive */
    bool is_damaged;         /* a fault was told */
};

/* False with OLV_BROKEN where it is no archive of ours, or its manifest cannot be read; with OLV_UNTRUSTED
 * where it may not be taken. */
bool reread_archive(const struct reread_options *options, const char *name, struct reread_result *result,
                    struct olv_error *err);

/* All archives of a depot, into the catalogue of the state directory. `catalogue` is not set by the caller.
 */
bool depot_rebuild(const char *state, struct reread_options *options, struct olv_depot_report *report,
                   struct olv_error *err);

#endif
