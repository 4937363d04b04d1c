/* SPDX-License-Identifier: Apache-2.0 */
/* One frame of an archive in a depot, where the catalogue says that it is. */
#ifndef OLV_DEPOT_UNPACKED_H
#define OLV_DEPOT_UNPACKED_H

#include "pack/frames.h"

/* Appends the plain bytes of the frame to `plain`, and leaves the packed ones in `packed` (unless `decoder`
 * is NULL: it is not packed). False with `err`: OLV_BROKEN if they are not what the catalogue says. */
bool unpacked_frame(int fd, const struct frame *frame, struct decoder *decoder, struct olv_text *packed,
                    struct olv_text *plain, struct olv_error *err);

#endif
