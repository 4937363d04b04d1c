/* SPDX-License-Identifier: Apache-2.0 */
/* One file packed or unpacked to somewhere else. The original stays. */
#ifndef OLVIDO_SHRINK_H
#define OLVIDO_SHRINK_H

#include "olvido/codec.h"
#include "olvido/docket.h"
#include "olvido/observer.h"

struct olv_shrink_request {
    const char *path;
    bool unpacks;
    enum olv_codec codec; /* packing */
    int level;
    uint64_t most_bytes; /* unpacking: it may become this large; 0: as honest files do */
    const char *to; /* the new file, with the times, mode, owner and attributes of the original; or NULL */
    enum olv_if_exists if_exists; /* where it is there already */
    int out;                      /* without `to`: the open file that the bytes go to */
};

struct olv_shrink_result {
    uint64_t before, after; /* bytes */
    enum olv_codec codec;   /* of the packed one */
};

/* Packs or unpacks. A new file is synced, read back and compared before it gets its name. */
bool olv_shrink_to(const struct olv_shrink_request *request, const struct olv_observer *observer,
                   struct olv_shrink_result *result, struct olv_error *err);

#endif
