/* SPDX-License-Identifier: Apache-2.0 */
/* make_tree DIR DIRECTORIES FILES [SAME]: a tree of gauge readings, FILES in each of DIRECTORIES, with sizes
 * of 0 to 99 bytes and ages of 0 to 999 days. Names are unique in the whole tree; with SAME they repeat in
 * every directory.
 */
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

static const char TEXT[100] = "time,metres";

static int make_file(int dir, unsigned long number, time_t now)
{
    static const char *const suffixes[] = {"csv", "tmp", "log", "pcm"};
    struct timespec times[2];
    char name[64];
    int fd;
    snprintf(name, sizeof name, "gauge-%07lu.%s", number, suffixes[number % 4]);
    fd = openat(dir, name, O_WRONLY | O_CREAT | O_EXCL, 0644);
    if (fd < 0 || write(fd, TEXT, number % 100) < 0)
        return 1;
    times[0].tv_sec = times[1].tv_sec = now - 3600 - (time_t)(number % 1000) * 86400;
    times[0].tv_nsec = times[1].tv_nsec = 0;
    futimens(fd, times);
    close(fd);
    return 0;
}

int main(int argc, char **argv)
{
    unsigned long directories, files;
    time_t now = time(NULL);
    if (argc < 4)
        return 2;
    directories = strtoul(argv[2], NULL, 10);
    files = strtoul(argv[3], NULL, 10);
    mkdir(argv[1], 0755);
    for (unsigned long d = 0; d < directories; d++) {
        char path[4096];
        int fd;
        snprintf(path, sizeof path, "%s/day-%06lu", argv[1], d);
        if (mkdir(path, 0755) < 0 || (fd = open(path, O_RDONLY | O_DIRECTORY)) < 0)
            return 1;
        for (unsigned long f = 0; f < files; f++)
            if (make_file(fd, argc > 4 ? f : d * files + f, now))
                return 1;
        close(fd);
    }
    return 0;
}
