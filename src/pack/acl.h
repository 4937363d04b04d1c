/* SPDX-License-Identifier: Apache-2.0 */
/* Access control lists: converts between the bytes of Linux's extended attribute and the short text form of
 * POSIX.1e draft 17, 23.3.2, with numbers for users and groups. */
#ifndef OLV_PACK_ACL_H
#define OLV_PACK_ACL_H

#include "olvido/text.h"

#define ACL_ATTRIBUTE         "system.posix_acl_access"
#define ACL_DEFAULT_ATTRIBUTE "system.posix_acl_default"

/* Appends the text; false if the bytes are no list. */
bool acl_to_text(const void *bytes, size_t len, struct olv_text *out);
/* Appends the bytes; false if the text is no list. Lines or commas separate entries; names are looked up
 * unless a number follows the permissions. */
bool acl_from_text(const char *text, struct olv_text *out);

#endif
