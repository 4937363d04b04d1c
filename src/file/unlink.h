/* SPDX-License-Identifier: Apache-2.0 */
#ifndef OLV_FILE_UNLINK_H
#define OLV_FILE_UNLINK_H

#include "olvido/error.h"

#include <stdbool.h>
#include <stddef.h>

/* What is done to a file, where nobody else can exchange it, right before its name goes. */
struct unlinking {
    bool (*before)(void *self, int dir, const char *name, struct olv_error *err); /* NULL: nothing */
    void *self;
};

static inline bool unlinking_begin(const struct unlinking *how, int dir, const char *name,
                                   struct olv_error *err)
{
    return !how || !how->before || how->before(how->self, dir, name, err);
}

#endif
