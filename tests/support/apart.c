/* SPDX-License-Identifier: Apache-2.0 */
#include "support/apart.h"

#include <dirent.h>
#include <errno.h>
#include <mntent.h>
#include <sched.h>
#include <stdbool.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mount.h>
#include <sys/stat.h>
#include <unistd.h>

enum { SKIPPED = 77, MOST_MOUNTS = 1024 }; /* SKIP_RETURN_CODE of tests/CMakeLists.txt */

static bool is_empty(const char *path)
{
    DIR *stream = opendir(path);
    const struct dirent *e;
    bool is_empty = true;
    while (stream && (e = readdir(stream)))
        is_empty &= strcmp(e->d_name, ".") == 0 || strcmp(e->d_name, "..") == 0;
    if (stream)
        closedir(stream);
    return is_empty;
}

static void cover(const char *path)
{
    struct stat st;
    if (lstat(path, &st) < 0)
        return;
    if (geteuid() != 0) {
        char files[4200];
        snprintf(files, sizeof files, "%s/files", path);
        if (is_empty(files))
            return;
        printf("skipped: %s is not empty, and without root it cannot be put out of reach\n", path);
        exit(SKIPPED);
    }
    if (!S_ISDIR(st.st_mode) || mount("none", path, "tmpfs", MS_RDONLY, "mode=0700,size=4k") < 0) {
        perror(path);
        exit(1);
    }
}

static char *mount_points[MOST_MOUNTS];

static size_t read_mounts(void)
{
    FILE *file = setmntent("/proc/self/mounts", "r");
    const struct mntent *m;
    size_t count = 0;
    while (file && count < MOST_MOUNTS && (m = getmntent(file)))
        mount_points[count++] = strdup(strcmp(m->mnt_dir, "/") ? m->mnt_dir : "");
    if (file)
        endmntent(file);
    return count;
}

void stand_apart(void)
{
    static bool is_done;
    size_t count;
    if (is_done)
        return;
    is_done = true;
    if (geteuid() == 0 &&
        (unshare(CLONE_NEWNS) < 0 || mount(NULL, "/", NULL, MS_REC | MS_PRIVATE, NULL) < 0)) {
        printf(
            "skipped: nothing can be mounted apart here (%s): in a chroot, its root must be a mount point\n",
            strerror(errno));
        exit(SKIPPED);
    }
    count = read_mounts();
    for (size_t i = 0; i < count; i++) {
        char path[4200];
        snprintf(path, sizeof path, "%s/.Trash", mount_points[i]);
        cover(path);
        snprintf(path, sizeof path, "%s/.Trash-%u", mount_points[i], (unsigned)geteuid());
        cover(path);
        free(mount_points[i]);
    }
}
