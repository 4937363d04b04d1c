/* SPDX-License-Identifier: Apache-2.0 */
/* Brings file systems to the disk beside the run: what must be there only by the end of the run does not hold
 * up its next batch. */
#ifndef OLV_RUN_FLUSHER_H
#define OLV_RUN_FLUSHER_H

#include "olvido/error.h"

struct flusher;

/* NULL without memory. Without a thread for it, all is done at once. */
struct flusher *flusher_new(void);
/* The file system behind `fd`, which is borrowed, with all that is on it by now. */
void flusher_add(struct flusher *flusher, int fd);
/* Waits until all is there. False with `err` when something could not be brought there. */
bool flusher_wait(struct flusher *flusher, struct olv_error *err);
void flusher_free(struct flusher *flusher);

#endif
