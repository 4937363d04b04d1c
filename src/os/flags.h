/* SPDX-License-Identifier: Apache-2.0 */
/* File attributes that not even root gets around. */
#ifndef OLV_OS_FLAGS_H
#define OLV_OS_FLAGS_H

#include "olvido/entry.h"

#include <stdbool.h>

enum olv_os_flag {
    OLV_OS_APPEND_ONLY = 1 << 0, /* contents are only added; of a directory, names are only added */
    OLV_OS_IMMUTABLE = 1 << 1    /* contents, attributes, names and links stay as they are */
};

/* Those that an open file or directory has. */
bool olv_os_flags(int fd, unsigned *out);
/* Sets these and lifts the others of the two; what else the file system keeps there stays. */
bool olv_os_set_flags(int fd, unsigned flags);

/* What keeps this process from setting them on an open file or directory, found out without a change. */
enum olv_os_lack {
    OLV_OS_LACKS_NOTHING,    /* as far as can be seen */
    OLV_OS_LACKS_WRITING,    /* it is mounted read-only */
    OLV_OS_LACKS_ATTRIBUTES, /* this file system has no such attributes */
    OLV_OS_LACKS_PRIVILEGE,  /* CAP_LINUX_IMMUTABLE */
    OLV_OS_LACKS_HOST        /* it has that, but in a user namespace, where it does not count */
};
enum olv_os_lack olv_os_flags_lack(int fd);

/* Whether a lease on this file system may miss who maps the file: an overlay, which opens it anew. */
bool olv_os_hides_maps(int fd);

/* Opens, to read, what `olv_os_open_passing` opened. Only to be called for files and directories. */
int olv_os_reopen(int passing);

#endif
