/* SPDX-License-Identifier: Apache-2.0 */
/* The end of every archive: the manifest in frames of its own, and the end mark; then everything is synced,
 * read back and compared. */
#ifndef OLV_ARCHIVE_ENDING_H
#define OLV_ARCHIVE_ENDING_H

#include "archive/manifest.h"
#include "pack/frames.h"

/* Closes the manifest and adds it; `*manifest_frame` gets the number of its first frame. All frames before it
 * are written. */
bool ending_add(struct frames *frames, struct manifest *manifest, enum olv_codec codec,
                size_t *manifest_frame, struct olv_error *err);
/* Fsyncs the open file, reads it back and compares it with its frames. */
bool ending_prove(int fd, const struct frames *frames, enum olv_codec codec, unsigned workers,
                  const struct frames_proof *proof, struct olv_error *err);

#endif
