/* SPDX-License-Identifier: Apache-2.0 */
#include "os/reading.h"

#include <errno.h>
#include <unistd.h>

bool reading_at(int fd, void *out, size_t len, uint64_t at, struct olv_error *err)
{
    char *to = out;
    while (len) {
        ssize_t n = pread(fd, to, len, (off_t)at);
        if (n < 0 && errno == EINTR)
            continue;
        if (n < 0)
            return olv_fail_system(err, "", "cannot read it");
        if (n == 0)
            return olv_fail(err, OLV_CHANGED, "it became shorter while it was being read");
        to += n;
        at += (uint64_t)n;
        len -= (size_t)n;
    }
    return true;
}

bool reading_source(void *fd, void *out, size_t len, uint64_t at, struct olv_error *err)
{
    const int *file = fd;
    return reading_at(*file, out, len, at, err);
}
