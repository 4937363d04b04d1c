/* SPDX-License-Identifier: Apache-2.0 */
/* Users and groups of this machine, by name and number (POSIX.1-2008 <pwd.h>, <grp.h>). Not thread-safe. */
#ifndef OLVIDO_ACCOUNTS_H
#define OLVIDO_ACCOUNTS_H

#include "olvido/error.h"

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

bool olv_user_id(const char *name, uint32_t *out);
bool olv_group_id(const char *name, uint32_t *out);
/* The user's name, or the number in digits if it has none. */
void olv_user_name(uint32_t id, char *out, size_t size);
void olv_group_name(uint32_t id, char *out, size_t size);
/* A path of the calling user by the XDG Base Directory specification: `name` in the directory that the
 * environment variable names, else in `below_home` of the home directory. False with OLV_STATE without a
 * home. */
bool olv_user_path(const char *variable, const char *below_home, const char *name, char *out, size_t size,
                   struct olv_error *err);

#endif
