/* SPDX-License-Identifier: Apache-2.0 */
#include "demo/place.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <string.h>
#include <sys/stat.h>
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

int demo_open_place(const char *path, struct olv_error *err)
{
    int dir;
    if (mkdir(path, 0755) < 0 && errno != EEXIST) {
        olv_fail_system(err, path, "cannot make the directory for the sample data");
        return -1;
    }
    dir = open(path, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (dir < 0) {
        olv_fail_system(err, path, "cannot open the directory for the sample data");
        return -1;
    }
    if (is_empty(dir))
        return dir;
    close(dir);
    olv_fail(err, OLV_REFUSED, "the directory is not empty, and sample data never overwrites anything");
    olv_error_at(err, path);
    olv_error_hint(err, "name a new directory");
    return -1;
}
