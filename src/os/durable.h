/* SPDX-License-Identifier: Apache-2.0 */
/* Files that must be whole and durable. */
#ifndef OLV_OS_DURABLE_H
#define OLV_OS_DURABLE_H

#include "olvido/error.h"

#include <stdbool.h>
#include <stddef.h>

struct olv_text;

/* Replaces `name` by a new file, whole or not at all, and durably: written beside it, fsynced, renamed. */
bool olv_publish(int dir, const char *name, const void *bytes, size_t len, struct olv_error *err);
/* Writes and fsyncs a file that must not exist yet. */
bool olv_write_new(int dir, const char *name, const void *bytes, size_t len, struct olv_error *err);
/* The same, written by `put`, which says what failed; whole or not at all. */
bool olv_write_new_by(int dir, const char *name, bool (*put)(void *self, int fd, struct olv_error *err),
                      void *self, struct olv_error *err);
bool olv_write_all(int fd, const void *bytes, size_t len);

/* Reads a whole file of at most `most` bytes. */
bool olv_read_file(int dir, const char *name, size_t most, struct olv_text *out, struct olv_error *err);
/* Whether reading failed only for now (true), or because there is no such file. */
bool olv_read_failed_for_now(const struct olv_error *err);

#endif
