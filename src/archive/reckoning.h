/* SPDX-License-Identifier: Apache-2.0 */
/* Compares what was read from an archive with the manifest at its end: what is lost, and what was altered. */
#ifndef OLV_ARCHIVE_RECKONING_H
#define OLV_ARCHIVE_RECKONING_H

#include "olvido/error.h"

#include <stddef.h>
#include <stdint.h>

/* The member is gone; its contents differ; or nothing proves them. */
enum missing { MISSING_LOST, MISSING_ALTERED, MISSING_UNPROVEN };

struct reckoning_sink {
    void *self;
    void (*missing)(void *self, const char *path, enum missing what);
};

/* Memory does not grow with the members: most are noted in an unnamed temporary file, if possible. */
struct reckoning;
struct reckoning *reckoning_new(const struct reckoning_sink *sink, struct olv_error *err);

/* ---- a member, whatever becomes of it; in the order of the archive ---- */

void reckoning_begin(struct reckoning *reckoning);
/* The member's next data; `is_proven`: a checksum has confirmed it. The rest is hashed. */
void reckoning_data(struct reckoning *reckoning, const uint8_t *bytes, size_t len, uint64_t at,
                    bool is_proven);
/* The member has its name, and all its data or what there was of it. */
bool reckoning_note(struct reckoning *reckoning, const char *path, uint64_t size_bytes,
                    struct olv_error *err);

/* ---- the manifest ---- */

/* The next bytes of it. */
bool reckoning_manifest(struct reckoning *reckoning, const uint8_t *bytes, size_t len, struct olv_error *err);
/* It is complete: later notes belong to another archive, appended to this one. */
void reckoning_end(struct reckoning *reckoning);
void reckoning_free(struct reckoning *reckoning);

#endif
