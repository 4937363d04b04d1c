/* SPDX-License-Identifier: Apache-2.0 */
/* Floor of discarding: for each name read from the tree (one level of directories below the first argument)
 * the info file is made exclusively and written, and the file is renamed, into the trash of the second
 * argument. With a third argument every item gets a number behind its name. One thread. */
#include <dirent.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

static int open_dir(int dir, const char *name)
{
    return openat(dir, name, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
}

static unsigned long number; /* of the next item; 0: they keep their names */

static int discard(int dir, const char *directory, const char *name, int files, int info, const char *top)
{
    char text[8192], info_name[340], item[300];
    int len, fd;
    if (number)
        snprintf(item, sizeof item, "%.220s.%lu", name, number++);
    else
        snprintf(item, sizeof item, "%.240s", name);
    snprintf(info_name, sizeof info_name, "%s.trashinfo", item);
    len = snprintf(text, sizeof text, "[Trash Info]\nPath=%s/%s/%s\nDeletionDate=2026-10-03T14:05:00\n", top,
                   directory, name);
    fd = openat(info, info_name, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0600);
    if (fd < 0 || write(fd, text, (size_t)len) != len)
        return 1;
    close(fd);
    return renameat(dir, name, files, item) != 0;
}

int main(int argc, char **argv)
{
    DIR *tops, *stream;
    struct dirent *d, *e;
    int files, info, failed = 0;
    if (argc < 3 || !(tops = opendir(argv[1])))
        return 2;
    number = argc > 3;
    mkdir(argv[2], 0700);
    int trash = open_dir(AT_FDCWD, argv[2]);
    mkdirat(trash, "files", 0700);
    mkdirat(trash, "info", 0700);
    files = open_dir(trash, "files");
    info = open_dir(trash, "info");
    while ((d = readdir(tops))) {
        if (d->d_name[0] == '.')
            continue;
        stream = fdopendir(open_dir(dirfd(tops), d->d_name));
        while (stream && (e = readdir(stream)))
            if (e->d_name[0] != '.')
                failed += discard(dirfd(stream), d->d_name, e->d_name, files, info, argv[1]);
        if (stream)
            closedir(stream);
    }
    return failed != 0;
}
