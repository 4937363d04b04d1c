/* SPDX-License-Identifier: Apache-2.0 */
#include "base/path.h"

#include <string.h>

const char *path_behind(const char *path, const char *top)
{
    size_t n = strcmp(top, "/") != 0 ? strlen(top) : 0;
    if (strncmp(path, top, n) != 0 || (path[n] && path[n] != '/'))
        return NULL;
    return strcmp(path + n, "/") != 0 ? path + n : "";
}

void path_cut(char *path)
{
    size_t len = strlen(path), top = path[0] == '/';
    while (len > top && path[len - 1] == '/')
        len--;
    while (len > top && path[len - 1] != '/')
        len--;
    while (len > top && path[len - 1] == '/')
        len--;
    path[len] = '\0';
}
