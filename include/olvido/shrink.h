/* SPDX-License-Identifier: Apache-2.0 */
/* Compresses or decompresses one file to somewhere else. The original stays. */
#ifndef OLVIDO_SHRINK_H
#define OLVIDO_SHRINK_H

#include "olvido/codec.h"
#include "olvido/docket.h"
#include "olvido/observer.h"

struct olv_shrink_request {
    const char *path;
    bool unpacks;
    enum olv_codec codec; /* compressing */
    int level;
    uint64_t most_bytes; /* decompressing: the largest it may become; 0: what an honest file needs */
    const char *to;      /* the new file, with times, mode, owner and attributes of the original; or NULL */
    enum olv_if_exists if_exists; /* if `to` exists */
    int out;                      /* without `to`: the open file to write to */
};

struct olv_shrink_result {
    uint64_t before, after; /* bytes */
    enum olv_codec codec;   /* of the compressed one */
};

/* Compresses or decompresses. A new file is fsynced, read back and compared before it gets its name. */
bool olv_shrink_to(const struct olv_shrink_request *request, const struct olv_observer *observer,
                   struct olv_shrink_result *result, struct olv_error *err);

#endif
