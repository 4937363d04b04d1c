/* SPDX-License-Identifier: Apache-2.0 */
#include "base/temporary.h"

#include <errno.h>
#include <limits.h>
#include <stdlib.h>
#include <unistd.h>

FILE *olv_temporary(void)
{
    const char *where = getenv("TMPDIR");
    char path[PATH_MAX];
    FILE *file;
    int fd, sys;
    snprintf(path, sizeof path, "%.4000s/temporary-XXXXXX", where && *where == '/' ? where : "/tmp");
    fd = mkstemp(path);
    if (fd < 0)
        return NULL;
    unlink(path);
    file = fdopen(fd, "w+b");
    sys = errno;
    if (!file)
        close(fd);
    errno = sys;
    return file;
}
