/* SPDX-License-Identifier: Apache-2.0 */
/* Floor of looking into one huge directory: every core takes the next buffer of getdents64 and does statx on
 * all entries in it. */
#include <dirent.h>
#include <fcntl.h>
#include <pthread.h>
#include <sched.h>
#include <stdatomic.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

enum { BUFFER = 128 * 1024 };

static pthread_mutex_t mutex = PTHREAD_MUTEX_INITIALIZER;
static int dir;
static atomic_ulong files;

static long next_buffer(char *buffer)
{
    long got;
    pthread_mutex_lock(&mutex);
    got = syscall(SYS_getdents64, dir, buffer, BUFFER);
    pthread_mutex_unlock(&mutex);
    return got;
}

static void *work(void *argument)
{
    char *buffer = malloc(BUFFER);
    unsigned long n = 0;
    long got;
    (void)argument;
    while ((got = next_buffer(buffer)) > 0)
        for (long at = 0; at < got;) {
            struct dirent64 *e = (struct dirent64 *)(void *)(buffer + at);
            struct statx x;
            at += e->d_reclen;
            if (e->d_name[0] != '.')
                n += statx(dir, e->d_name, AT_SYMLINK_NOFOLLOW, STATX_BASIC_STATS | STATX_BTIME, &x) == 0;
        }
    atomic_fetch_add(&files, n);
    free(buffer);
    return NULL;
}

int main(int argc, char **argv)
{
    pthread_t threads[64];
    cpu_set_t set;
    int cores;
    sched_getaffinity(0, sizeof set, &set);
    cores = CPU_COUNT(&set) < 64 ? CPU_COUNT(&set) : 64;
    dir = argc == 2 ? open(argv[1], O_RDONLY | O_DIRECTORY | O_CLOEXEC) : -1;
    if (dir < 0)
        return 2;
    for (int i = 0; i < cores; i++)
        pthread_create(&threads[i], NULL, work, NULL);
    for (int i = 0; i < cores; i++)
        pthread_join(threads[i], NULL);
    printf("%lu\n", atomic_load(&files));
    return 0;
}
