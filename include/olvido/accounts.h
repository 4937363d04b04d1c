/* SPDX-License-Identifier: Apache-2.0 */
/* Users and groups of this machine, by name and by number (POSIX.1-2008 <pwd.h>, <grp.h>). Not for threads.
 */
#ifndef OLVIDO_ACCOUNTS_H
#define OLVIDO_ACCOUNTS_H

#include "olvido/error.h"

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

bool olv_user_id(const char *name, uint32_t *out);
bool olv_group_id(const char *name, uint32_t *out);
/* The name of the user, or its number in digits. */
void olv_user_name(uint32_t id, char *out, size_t size);
void olv_group_name(uint32_t id, char *out, size_t size);
/* Where something of the calling user's is, by the XDG Base Directory specification: `name` in the directory
 * that the variable names, else in `below_home` of the home directory. False with OLV_STATE when there is no
 * home. */
bool olv_user_path(const char *variable, const char *below_home, const char *name, char *out, size_t size,
                   struct olv_error *err);

#endif
