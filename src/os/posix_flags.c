/* SPDX-License-Identifier: Apache-2.0 */
/* POSIX.1-2008 has no such attributes. */
#include "os/flags.h"

#include <errno.h>

bool olv_os_flags(int fd, unsigned *out)
{
    (void)fd;
    *out = 0;
    errno = EOPNOTSUPP;
    return false;
}

bool olv_os_set_flags(int fd, unsigned flags)
{
    (void)fd;
    (void)flags;
    errno = EOPNOTSUPP;
    return false;
}

enum olv_os_lack olv_os_flags_lack(int fd)
{
    (void)fd;
    return OLV_OS_LACKS_ATTRIBUTES;
}

bool olv_os_hides_maps(int fd)
{
    (void)fd;
    return true;
}

int olv_os_reopen(int passing)
{
    (void)passing;
    errno = EOPNOTSUPP;
    return -1;
}
