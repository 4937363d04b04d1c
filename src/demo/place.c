/* SPDX-License-Identifier: Apache-2.0 */
#include "demo/place.h"

#include "file/trusted.h"
#include "os/os.h"

#include <dirent.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static bool is_empty(int dir)
{
    int fd = dup(dir);
    DIR *stream = fd >= 0 ? fdopendir(fd) : NULL;
    struct dirent *entry;
    bool empty = stream != NULL;
    while (empty && (entry = readdir(stream)))
        empty = strcmp(entry->d_name, ".") == 0 || strcmp(entry->d_name, "..") == 0;
    if (stream)
        closedir(stream);
    return empty;
}

/* Opens what the path says, without following links of strangers. */
static int open_new(const char *path, char real[PATH_MAX], struct olv_error *err)
{
    int dir = trusted_make_directory(path, err);
    char *resolved = dir >= 0 ? trusted_resolve(path, err) : NULL;
    olv_os_close(dir);
    if (!resolved)
        return -1;
    snprintf(real, PATH_MAX, "%s", resolved);
    dir = strlen(resolved) < PATH_MAX ? olv_os_open_path(resolved) : -1;
    free(resolved);
    if (dir < 0)
        olv_fail_system(err, path, "cannot open the directory for the sample data");
    return dir;
}

int demo_open_place(const char *path, char real[PATH_MAX], struct olv_error *err)
{
    int dir = open_new(path, real, err);
    if (dir < 0 || is_empty(dir))
        return dir;
    close(dir);
    olv_fail(err, OLV_REFUSED, "the directory is not empty, and sample data never overwrites anything");
    olv_error_at(err, path);
    olv_error_hint(err, "name a new directory");
    return -1;
}
