/* SPDX-License-Identifier: Apache-2.0 */
/* How every archive ends: the manifest, in frames of its own, and the mark of the end; then all of it is
 * brought to the disk, read back and compared. */
#ifndef OLV_ARCHIVE_ENDING_H
#define OLV_ARCHIVE_ENDING_H

#include "archive/manifest.h"
#include "pack/frames.h"

/* Closes the manifest and adds it; `*manifest_frame` becomes the number of its first frame. All frames before
 * it have been written. */
bool ending_add(struct frames *frames, struct manifest *manifest, enum olv_codec codec,
                size_t *manifest_frame, struct olv_error *err);
/* Brings the open file to the disk, reads it back and compares it with its frames. */
bool ending_prove(int fd, const struct frames *frames, enum olv_codec codec, unsigned workers,
                  const struct frames_proof *proof, struct olv_error *err);

#endif
