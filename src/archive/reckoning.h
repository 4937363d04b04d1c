/* SPDX-License-Identifier: Apache-2.0 */
/* What was met in an archive, reckoned against the manifest at its end: what is lost, and what is not as it
 * was put in. */
#ifndef OLV_ARCHIVE_RECKONING_H
#define OLV_ARCHIVE_RECKONING_H

#include "olvido/error.h"

#include <stddef.h>
#include <stdint.h>

/* The archive no longer holds the member; not its contents; or it cannot be told whether it does. */
enum missing { MISSING_LOST, MISSING_ALTERED, MISSING_UNPROVEN };

struct reckoning_sink {
    void *self;
    void (*missing)(void *self, const char *path, enum missing what);
};

/* Memory does not grow with the members: most are noted in an unnamed temporary file, if one can be made. */
struct reckoning;
struct reckoning *reckoning_new(const struct reckoning_sink *sink, struct olv_error *err);

/* ---- a member, whatever becomes of it; in the order of the archive ---- */

void reckoning_begin(struct reckoning *reckoning);
/* The next data of it, as it comes; `is_proven`: a checksum has said that it is right. What has not been is
 * digested. */
void reckoning_data(struct reckoning *reckoning, const uint8_t *bytes, size_t len, uint64_t at,
                    bool is_proven);
/* It has its name and all of its data, or what there was of it. */
bool reckoning_note(struct reckoning *reckoning, const char *path, uint64_t size_bytes,
                    struct olv_error *err);

/* ---- the manifest ---- */

/* The next bytes of it. */
bool reckoning_manifest(struct reckoning *reckoning, const uint8_t *bytes, size_t len, struct olv_error *err);
/* It is over: what is noted from now on belongs to another archive that was joined to this one. */
void reckoning_end(struct reckoning *reckoning);
void reckoning_free(struct reckoning *reckoning);

#endif
