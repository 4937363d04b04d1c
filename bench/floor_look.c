/* SPDX-License-Identifier: Apache-2.0 */
/* Floor of looking: every core takes the next directory and does getdents64 and statx on all of its entries.
 * The tree is one level of directories below the argument. */
#include <dirent.h>
#include <fcntl.h>
#include <pthread.h>
#include <sched.h>
#include <stdatomic.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

enum { BUFFER = 128 * 1024, MOST = 1 << 20 };

static char *directories[MOST];
static unsigned count;
static atomic_uint next;
static int top;
static atomic_ullong files, bytes;

static void look(int fd, char *buffer, unsigned long long *n, unsigned long long *size)
{
    long got;
    while ((got = syscall(SYS_getdents64, fd, buffer, BUFFER)) > 0)
        for (long at = 0; at < got;) {
            struct dirent64 *e = (struct dirent64 *)(void *)(buffer + at);
            struct statx x;
            at += e->d_reclen;
            if (e->d_name[0] == '.')
                continue;
            if (statx(fd, e->d_name, AT_SYMLINK_NOFOLLOW, STATX_BASIC_STATS | STATX_BTIME, &x) == 0) {
                ++*n;
                *size += x.stx_size;
            }
        }
}

static void *work(void *argument)
{
    char *buffer = malloc(BUFFER);
    unsigned long long n = 0, size = 0;
    unsigned i;
    (void)argument;
    while ((i = atomic_fetch_add(&next, 1)) < count) {
        int fd = openat(top, directories[i], O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
        look(fd, buffer, &n, &size);
        close(fd);
    }
    atomic_fetch_add(&files, n);
    atomic_fetch_add(&bytes, size);
    free(buffer);
    return NULL;
}

int main(int argc, char **argv)
{
    pthread_t threads[64];
    cpu_set_t set;
    int cpus;
    DIR *stream = argc > 1 ? opendir(argv[1]) : NULL;
    struct dirent *e;
    if (!stream)
        return 2;
    while ((e = readdir(stream)))
        if (e->d_name[0] != '.' && count < MOST)
            directories[count++] = strdup(e->d_name);
    top = dirfd(stream);
    sched_getaffinity(0, sizeof set, &set);
    cpus = CPU_COUNT(&set) < 64 ? CPU_COUNT(&set) : 64;
    for (int i = 0; i < cpus; i++)
        pthread_create(&threads[i], NULL, work, NULL);
    for (int i = 0; i < cpus; i++)
        pthread_join(threads[i], NULL);
    printf("%llu files, %llu bytes\n", (unsigned long long)files, (unsigned long long)bytes);
    return 0;
}
