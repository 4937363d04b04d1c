/* SPDX-License-Identifier: Apache-2.0 */
#include "state/reserve.h"

#include <errno.h>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

static const char NAME[] = "reserve";
enum { RESERVE_BYTES = 8 << 20 }; /* the docket and the lines of two full batches */

static bool reserve_is_there(int state)
{
    struct stat st;
    return fstatat(state, NAME, &st, AT_SYMLINK_NOFOLLOW) == 0 && S_ISREG(st.st_mode) &&
           st.st_size >= RESERVE_BYTES;
}

void reserve_fill(int state)
{
    int fd;
    if (reserve_is_there(state))
        return;
    fd = openat(state, NAME, O_WRONLY | O_CREAT | O_NOFOLLOW | O_CLOEXEC, 0600);
    if (fd < 0)
        return;
    if (posix_fallocate(fd, 0, RESERVE_BYTES) != 0)
        unlinkat(state, NAME, 0); /* a part of it would only take space that others need */
    close(fd);
}

bool reserve_use(int state, struct olv_error *err)
{
    if ((err->sys != ENOSPC && err->sys != EDQUOT) || unlinkat(state, NAME, 0) < 0)
        return false;
    olv_error_clear(err);
    return true;
}
