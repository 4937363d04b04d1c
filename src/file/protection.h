/* SPDX-License-Identifier: Apache-2.0 */
/* Setting and lifting a level of protection of an open file or directory. */
#ifndef OLV_FILE_PROTECTION_H
#define OLV_FILE_PROTECTION_H

#include "olvido/docket.h"
#include "olvido/error.h"
#include "olvido/protection.h"

/* Opens a file or directory to read its attributes: what it is is known before anything is opened that may be
 * a pipe or a device. -1 with OLV_REFUSED if it is neither. */
int protection_open(int dir, const char *name, struct olv_error *err);

/* What is missing here to set and lift `append-only` and `frozen`, found out without a change; NULL: nothing,
 * as far as can be seen. */
const char *protection_lacks(int fd);
/* Sets a level in one step; what else it has stays. False with `err`, which says what is missing here. */
bool protection_set(int fd, enum olv_protection level, struct olv_error *err);
/* Whether a file has an access control list, by its name in a directory. */
enum olv_truth protection_has_list(int dir, const char *name);

/* What the register knows an entry's file by; `path` gets its path. False without memory. */
bool protection_key(const struct olv_docket_entry *entry, struct olv_text *path, struct olv_protected *out);
/* Who set the levels of a file, as its rows in the register say. Starts zeroed; `self` of the function that
 * gets them. */
struct protection_setters {
    unsigned levels;
    char who[64]; /* the first one */
};
void protection_note_setter(void *self, const struct olv_protected *row);
/* What keeps a frozen or append-only file as it is, and how that is lifted. */
void protection_why(const struct olv_stat *stat, const struct protection_setters *setters, char *out,
                    size_t size);

/* Lifts the levels of flags; what cannot be lifted says why. */
bool protection_lift_flags(int fd, unsigned levels, struct olv_error *err);
/* Gives write permissions back that a file had when it had this mode; those that somebody else changed since
 * stay as they are, and then `is_changed`. */
bool protection_give_back(int fd, uint32_t mode, bool has_list, bool *is_changed, struct olv_error *err);

#endif
