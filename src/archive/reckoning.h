/* SPDX-License-Identifier: Apache-2.0 */
/* What was met in an archive, reckoned against the manifest at its end: what is lost, and what is not as it
 * was put in. */
#ifndef OLV_ARCHIVE_RECKONING_H
#define OLV_ARCHIVE_RECKONING_H

#include "base/digest.h"
#include "olvido/error.h"

/* The archive no longer holds the member; not its contents; or it cannot be told whether it does. */
enum missing { MISSING_LOST, MISSING_ALTERED, MISSING_UNPROVEN };

struct reckoning_sink {
    void *self;
    void (*missing)(void *self, const char *path, enum missing what);
};

/* What is known of a member's contents. */
enum contents_known {
    CONTENTS_PROVEN, /* or nobody wants to know */
    CONTENTS_DIGESTED,
    CONTENTS_DOUBTFUL /* they come from what may be damaged, and were not digested */
};

/* Memory does not grow with the members: most are noted in an unnamed temporary file, if one can be made. */
struct reckoning;
struct reckoning *reckoning_new(const struct reckoning_sink *sink, struct olv_error *err);
/* A member was met, whatever became of it; in the order of the archive. `digest`: SHA-256 of its contents, if
 * they were digested. */
bool reckoning_note(struct reckoning *reckoning, const char *path, enum contents_known known,
                    const uint8_t digest[OLV_SHA256_SIZE], struct olv_error *err);
/* The next bytes of the manifest. */
bool reckoning_add(struct reckoning *reckoning, const uint8_t *bytes, size_t len, struct olv_error *err);
/* The manifest is over: what is noted from now on belongs to another archive that was joined to this one. */
void reckoning_end(struct reckoning *reckoning);
void reckoning_free(struct reckoning *reckoning);

#endif
