/* SPDX-License-Identifier: Apache-2.0 */
/* Floors of removing what is below a directory:
 *     floor_delete tree DIR     unlinkat from the bottom up, one thread; DIR itself goes, too
 *     floor_delete careful DIR  each file of its directories: a room in the directory (one for all its
 * files), statx, open, lease, renameat2(NOREPLACE) into the room, statx, unlinkat; the directories are shared
 * among all cores, and stay */
#include <dirent.h>
#include <fcntl.h>
#include <pthread.h>
#include <signal.h>
#include <stdatomic.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

static int open_dir(int dir, const char *name)
{
    return openat(dir, name, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
}

static int is_dots(const char *name)
{
    return strcmp(name, ".") == 0 || strcmp(name, "..") == 0;
}

static int remove_tree(int dir, const char *name)
{
    DIR *stream = fdopendir(open_dir(dir, name));
    struct dirent *e;
    int failed = !stream;
    while (stream && (e = readdir(stream)))
        if (!is_dots(e->d_name))
            failed += e->d_type == DT_DIR ? remove_tree(dirfd(stream), e->d_name)
                                          : unlinkat(dirfd(stream), e->d_name, 0) != 0;
    if (stream)
        closedir(stream);
    return failed + (unlinkat(dir, name, AT_REMOVEDIR) != 0);
}

/* ---- with care ---- */

static char (*names)[256];
static size_t count;
static int top;
static atomic_size_t next;
static atomic_int failures;

static int remove_file(int dir, int room, const char *name)
{
    struct statx x;
    int fd, failed;
    failed = statx(dir, name, AT_SYMLINK_NOFOLLOW, STATX_BASIC_STATS | STATX_BTIME, &x) != 0;
    fd = openat(dir, name, O_RDONLY | O_NOFOLLOW | O_CLOEXEC);
    failed += fd < 0 || fcntl(fd, F_SETSIG, SIGURG) != 0 || fcntl(fd, F_SETLEASE, F_RDLCK) != 0;
    failed += syscall(SYS_renameat2, dir, name, room, name, 1) != 0;
    failed += statx(room, name, AT_SYMLINK_NOFOLLOW, STATX_BASIC_STATS | STATX_BTIME, &x) != 0;
    failed += unlinkat(room, name, 0) != 0;
    close(fd);
    return failed;
}

static int remove_files(const char *name)
{
    DIR *stream = fdopendir(open_dir(top, name));
    struct dirent *e;
    int failed = !stream, room = -1;
    if (stream && mkdirat(dirfd(stream), ".room", 0700) == 0)
        room = open_dir(dirfd(stream), ".room");
    while (stream && (e = readdir(stream)))
        if (e->d_type == DT_REG)
            failed += remove_file(dirfd(stream), room, e->d_name);
    close(room);
    if (stream) {
        failed += unlinkat(dirfd(stream), ".room", AT_REMOVEDIR) != 0;
        closedir(stream);
    }
    return failed;
}

static void *work(void *unused)
{
    size_t i;
    while ((i = atomic_fetch_add(&next, 1)) < count)
        atomic_fetch_add(&failures, remove_files(names[i]));
    return unused;
}

static int remove_carefully(const char *path)
{
    enum { MOST = 200000, THREADS = 64 };
    pthread_t threads[THREADS];
    long cores = sysconf(_SC_NPROCESSORS_ONLN);
    DIR *stream = opendir(path);
    struct dirent *e;
    names = malloc(MOST * sizeof *names);
    if (!stream || !names)
        return 1;
    top = dirfd(stream);
    while (count < MOST && (e = readdir(stream)))
        if (!is_dots(e->d_name) && e->d_type == DT_DIR)
            snprintf(names[count++], sizeof *names, "%s", e->d_name);
    for (long i = 0; i < cores && i < THREADS; i++)
        pthread_create(&threads[i], NULL, work, NULL);
    for (long i = 0; i < cores && i < THREADS; i++)
        pthread_join(threads[i], NULL);
    return atomic_load(&failures);
}

int main(int argc, char **argv)
{
    if (argc < 3)
        return 2;
    return strcmp(argv[1], "tree") == 0 ? remove_tree(AT_FDCWD, argv[2]) != 0
                                        : remove_carefully(argv[2]) != 0;
}
