/* SPDX-License-Identifier: Apache-2.0 */
#include "file/trusted.h"
#include "olvido/path.h"

#include <errno.h>
#include <stdlib.h>
#include <unistd.h>

char *olv_path_here(void)
{
    return getcwd(NULL, 0); /* POSIX.1-2008 leaves NULL open; every C library allocates then */
}

char *olv_path_real(const char *path)
{
    char *real = realpath(path, NULL);
    struct olv_error why = {0};
    if (real || errno != ENAMETOOLONG)
        return real;
    real = trusted_resolve(path, &why);
    errno = real || why.sys ? why.sys : ELOOP;
    return real;
}
