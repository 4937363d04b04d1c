/* SPDX-License-Identifier: Apache-2.0 */
/* floor_decode FILE [OUT]: floor of reading back and of unpacking: all cores decode the frames of a zstd
 * file, which is mapped; with OUT, each is written to its place there. floor_decode FILE - AT: decodes the
 * one frame that begins at this byte, and nothing else. */
#include <fcntl.h>
#include <pthread.h>
#include <sched.h>
#include <stdatomic.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>
#include <zstd.h>

struct frame {
    size_t at, len, plain;
    unsigned long long to;
};

static const char *bytes;
static struct frame *frames;
static size_t count;
static int out = -1;
static atomic_size_t next_one;

static void decode(const struct frame *f, ZSTD_DCtx *zstd, char **room, size_t *size)
{
    if (f->plain > *size) {
        free(*room);
        *room = malloc(*size = f->plain);
    }
    if (ZSTD_decompressDCtx(zstd, *room, f->plain, bytes + f->at, f->len) != f->plain)
        exit(2);
    if (out >= 0 && pwrite(out, *room, f->plain, (off_t)f->to) != (ssize_t)f->plain)
        exit(2);
}

static void *work(void *argument)
{
    ZSTD_DCtx *zstd = ZSTD_createDCtx();
    char *room = NULL;
    size_t size = 0, i;
    (void)argument;
    while ((i = atomic_fetch_add(&next_one, 1)) < count)
        decode(&frames[i], zstd, &room, &size);
    free(room);
    return NULL;
}

static void find_frames(size_t size, size_t at, size_t most)
{
    unsigned long long to = 0;
    while (at < size && count < most) {
        size_t len = ZSTD_findFrameCompressedSize(bytes + at, size - at);
        unsigned long long plain = ZSTD_getFrameContentSize(bytes + at, size - at);
        if (ZSTD_isError(len))
            exit(2);
        if (plain != ZSTD_CONTENTSIZE_ERROR && plain > 0) {
            frames = realloc(frames, (count + 1) * sizeof *frames);
            frames[count++] = (struct frame){at, len, (size_t)plain, to};
            to += plain;
        }
        at += len;
    }
}

int main(int argc, char **argv)
{
    pthread_t threads[64];
    cpu_set_t set;
    int cores, fd = argc >= 2 ? open(argv[1], O_RDONLY | O_CLOEXEC) : -1;
    struct stat st;
    if (fd < 0 || fstat(fd, &st) != 0)
        return 2;
    bytes = mmap(NULL, (size_t)st.st_size, PROT_READ, MAP_SHARED, fd, 0);
    if (bytes == MAP_FAILED)
        return 2;
    find_frames((size_t)st.st_size, argc == 4 ? strtoul(argv[3], NULL, 10) : 0, argc == 4 ? 1 : SIZE_MAX);
    if (argc == 4) {
        work(NULL);
        return 0;
    }
    if (argc == 3 && (out = open(argv[2], O_RDWR | O_CREAT | O_TRUNC | O_CLOEXEC, 0644)) < 0)
        return 2;
    sched_getaffinity(0, sizeof set, &set);
    cores = CPU_COUNT(&set) < 64 ? CPU_COUNT(&set) : 64;
    for (int i = 0; i < cores; i++)
        pthread_create(&threads[i], NULL, work, NULL);
    for (int i = 0; i < cores; i++)
        pthread_join(threads[i], NULL);
    return 0;
}
