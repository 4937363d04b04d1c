/* SPDX-License-Identifier: Apache-2.0 */
/* Floor of a chain of directories: nothing in it can be done side by side, so one thread goes down it with
 * getdents64 and statx on every entry. */
#include <dirent.h>
#include <fcntl.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

enum { BUFFER = 128 * 1024 };

int main(int argc, char **argv)
{
    static char buffer[BUFFER];
    int fd = argc == 2 ? open(argv[1], O_RDONLY | O_DIRECTORY | O_CLOEXEC) : -1;
    unsigned long files = 0;
    while (fd >= 0) {
        long got;
        int below = -1;
        while ((got = syscall(SYS_getdents64, fd, buffer, BUFFER)) > 0)
            for (long at = 0; at < got;) {
                struct dirent64 *e = (struct dirent64 *)(void *)(buffer + at);
                struct statx x;
                at += e->d_reclen;
                if (e->d_name[0] == '.')
                    continue;
                files += statx(fd, e->d_name, AT_SYMLINK_NOFOLLOW, STATX_BASIC_STATS | STATX_BTIME, &x) == 0;
                if (e->d_type == DT_DIR)
                    below = openat(fd, e->d_name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
            }
        close(fd);
        fd = below;
    }
    printf("%lu\n", files);
    return argc != 2;
}
