/* SPDX-License-Identifier: Apache-2.0 */
/* Users and groups of this machine, by name and by number (POSIX.1-2008 <pwd.h>, <grp.h>). Not for threads.
 */
#ifndef OLV_BASE_ACCOUNTS_H
#define OLV_BASE_ACCOUNTS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

bool olv_user_id(const char *name, uint32_t *out);
bool olv_group_id(const char *name, uint32_t *out);
/* The name of the user, or its number in digits. */
void olv_user_name(uint32_t id, char *out, size_t size);
/* The home directory of the user; false when it has none. */
bool olv_user_home(uint32_t id, char *out, size_t size);

#endif
