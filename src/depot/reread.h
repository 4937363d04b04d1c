/* SPDX-License-Identifier: Apache-2.0 */
/* Enters an archive into the catalogue from nothing but its own bytes. */
#ifndef OLV_DEPOT_REREAD_H
#define OLV_DEPOT_REREAD_H

#include "depot/catalogue.h"
#include "olvido/depot_care.h"

struct reread_options {
    struct olv_catalogue *catalogue;
    const char *depot, *path; /* the depot's name and directory */
    int dir;                  /* open */
    /* Whether it may enter the catalogue; NULL: any may. */
    bool (*may_be_ours)(void *self, const struct catalogue_archive *archive);
    /* Asked when all members are in the catalogue, under a row that is still `making`; NULL: it may. */
    bool (*may_stay)(void *self, int64_t row, struct olv_error *err);
    int64_t replaces; /* a row that is being made: it was cut short, and becomes this one; 0: none */
    /* Damage that does not keep it out of the catalogue. */
    void (*fault)(void *self, const struct olv_depot_fault *fault);
    void *self;
    const struct olv_observer *observer;
    uint64_t archives, bytes; /* read so far, for the observer */
    uint64_t of_archives, of_bytes;
};

struct reread_result {
    uint64_t members, bytes; /* `bytes`: of the archive */
    bool is_damaged;         /* a fault was reported */
};

/* False with OLV_BROKEN if it is no archive of ours, or its manifest cannot be read; with OLV_UNTRUSTED if it
 * may not be entered. */
bool reread_archive(const struct reread_options *options, const char *name, struct reread_result *result,
                    struct olv_error *err);

/* All archives of a depot, into the catalogue of the state directory. The caller leaves `catalogue` unset. */
bool depot_rebuild(const char *state, struct reread_options *options, struct olv_depot_report *report,
                   struct olv_error *err);

#endif
