/* SPDX-License-Identifier: Apache-2.0 */
/* floor_pack [-p] DIRECTORY [OUT]: floor of archiving. All cores read the files of all directories in it,
 * digest each (SHA-256), and compress them as independent frames of 4 MiB (zstd 3); nothing else. With -p
 * (proven) also what an archive cannot be without: before each file the headers of a tar archive that keep
 * its times, a line of a manifest for it, and every frame decoded again; but nothing is written, nor anything
 * done about the files. With OUT, one stream of libzstd with all of it is written there instead, for its
 * size. */
#include <dirent.h>
#include <fcntl.h>
#include <openssl/evp.h>
#include <pthread.h>
#include <sched.h>
#include <stdatomic.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>
#include <zstd.h>

enum { FRAME = 4 << 20, MOST = 100000, HEADERS = 3 * 512 };

static char *directories[MOST];
static int count;
static atomic_int next_one;
static atomic_ulong packed;
static int is_proven;

struct worker {
    char *plain, *out, *again, *manifest;
    size_t len, room, manifest_len;
    ZSTD_CCtx *zstd;
    ZSTD_DCtx *unzstd;
    EVP_MD_CTX *sha;
    EVP_MD *type;
};

static void pack(struct worker *w, const char *plain, size_t *len)
{
    size_t n = *len ? ZSTD_compressCCtx(w->zstd, w->out, w->room, plain, *len, 3) : 0;
    if (n && is_proven && ZSTD_decompressDCtx(w->unzstd, w->again, FRAME, w->out, n) != *len)
        exit(2);
    atomic_fetch_add(&packed, n);
    *len = 0;
}

/* A block for the extended header, its records, and a block for the file, all made beforehand; what differs
 * from file to file is put into them. */
static void put_headers(struct worker *w, const char *name, const struct stat *st)
{
    static const char records[] = "30 mtime=1770091506.123456789\n30 atime=1770091506.123456789\n";
    static const char numbers[] = "0000644\0000000000\0000000000\00000000000310\00015302134554\000015425\0 0";
    char *at = w->plain + w->len;
    memset(at, 0, HEADERS);
    memcpy(at, "PaxHeaders/member", 17);
    memcpy(at + 100, numbers, sizeof numbers);
    memcpy(at + 257, "ustar\00000root", 12);
    memcpy(at + 512, records, sizeof records);
    memcpy(at + 1024, "image/tides/day-00000/", 22);
    memcpy(at + 1046, name, strlen(name));
    memcpy(at + 1124, numbers, sizeof numbers);
    memcpy(at + 1281, "ustar\00000root", 12);
    for (int i = 0; i < 6; i++)
        at[1024 + 148 + i] = (char)('0' + (st->st_ino >> 3 * i & 7)); /* as a checksum would */
    w->len += HEADERS;
}

static char *put(char *at, const char *string, size_t len)
{
    memcpy(at, string, len);
    return at + len;
}

static void put_line(struct worker *w, const char *name, const unsigned char digest[32])
{
    static const char
        before[] = "{\"path\":\"image/tides/day-00000/",
        between[] = "\",\"kind\":\"file\",\"size\":200,\"frame\":0,\"at\":2048,\"digest\":\"",
        after[] = "\",\"mode\":\"0644\",\"uid\":0,\"gid\":0,\"owner\":\"root\",\"group\":\"root\","
                  "\"modified\":\"2026-02-03T04:05:06.123456789Z\",\"accessed\":\"2026-02-03T04:05:06."
                  "123456789Z\"}\n";
    char *at;
    if (w->manifest_len + 1024 > FRAME)
        pack(w, w->manifest, &w->manifest_len);
    at = put(w->manifest + w->manifest_len, before, sizeof before - 1);
    at = put(put(at, name, strlen(name)), between, sizeof between - 1);
    for (int i = 0; i < 32; i++) {
        *at++ = "0123456789abcdef"[digest[i] >> 4];
        *at++ = "0123456789abcdef"[digest[i] & 15];
    }
    w->manifest_len = (size_t)(put(at, after, sizeof after - 1) - w->manifest);
}

static void take_file(struct worker *w, int dir, const char *name)
{
    unsigned char digest[32];
    struct stat st;
    int fd = openat(dir, name, O_RDONLY | O_CLOEXEC);
    size_t at = 0;
    ssize_t n = 1;
    if (fd < 0 || fstat(fd, &st) != 0)
        exit(2);
    if (w->len + (size_t)st.st_size + HEADERS + 512 > FRAME)
        pack(w, w->plain, &w->len);
    if (is_proven)
        put_headers(w, name, &st);
    while (at < (size_t)st.st_size && (n = read(fd, w->plain + w->len + at, (size_t)st.st_size - at)) > 0)
        at += (size_t)n;
    close(fd);
    EVP_DigestInit_ex(w->sha, w->type, NULL);
    EVP_DigestUpdate(w->sha, w->plain + w->len, at);
    EVP_DigestFinal_ex(w->sha, digest, NULL);
    w->len += at;
    if (!is_proven)
        return;
    put_line(w, name, digest);
    at = (512 - at % 512) % 512;
    memset(w->plain + w->len, 0, at);
    w->len += at;
}

static void *work(void *argument)
{
    struct worker w = {.room = ZSTD_compressBound(FRAME)};
    int i;
    (void)argument;
    w.plain = malloc(FRAME);
    w.out = malloc(w.room);
    w.again = malloc(FRAME);
    w.manifest = malloc(FRAME);
    w.zstd = ZSTD_createCCtx();
    w.unzstd = ZSTD_createDCtx();
    w.sha = EVP_MD_CTX_new();
    w.type = EVP_MD_fetch(NULL, "SHA256", NULL);
    while ((i = atomic_fetch_add(&next_one, 1)) < count) {
        DIR *dir = opendir(directories[i]);
        struct dirent *e;
        while (dir && (e = readdir(dir)))
            if (e->d_type == DT_REG)
                take_file(&w, dirfd(dir), e->d_name);
        if (dir)
            closedir(dir);
    }
    pack(&w, w.plain, &w.len);
    pack(&w, w.manifest, &w.manifest_len);
    return NULL;
}

static int one_stream(const char *out)
{
    static char plain[FRAME], packed_bytes[FRAME];
    ZSTD_CCtx *zstd = ZSTD_createCCtx();
    FILE *to = fopen(out, "w");
    ZSTD_CCtx_setParameter(zstd, ZSTD_c_compressionLevel, 3);
    for (int i = 0; to && i <= count; i++) {
        DIR *dir = i < count ? opendir(directories[i]) : NULL;
        struct dirent *e = NULL;
        while (i == count || (dir && (e = readdir(dir)))) {
            ZSTD_inBuffer in = {plain, 0, 0};
            ZSTD_outBuffer o = {packed_bytes, FRAME, 0};
            ssize_t n = 0;
            int fd;
            if (e && e->d_type != DT_REG)
                continue;
            fd = e ? openat(dirfd(dir), e->d_name, O_RDONLY | O_CLOEXEC) : -1;
            if (fd >= 0)
                n = read(fd, plain, sizeof plain);
            if (fd >= 0)
                close(fd);
            in.size = n > 0 ? (size_t)n : 0;
            do {
                size_t left;
                o.pos = 0;
                left = ZSTD_compressStream2(zstd, &o, &in, e ? ZSTD_e_continue : ZSTD_e_end);
                if (fwrite(packed_bytes, 1, o.pos, to) != o.pos || ZSTD_isError(left))
                    return 2;
                if (!e && left == 0)
                    break;
            } while (!e || in.pos < in.size);
            if (!e)
                break;
        }
        if (dir)
            closedir(dir);
    }
    return to && fclose(to) == 0 ? 0 : 2;
}

static int by_name(const void *a, const void *b)
{
    char *const *x = a, *const *y = b;
    return strcmp(*x, *y);
}

int main(int argc, char **argv)
{
    pthread_t threads[64];
    cpu_set_t set;
    int cores;
    DIR *top;
    struct dirent *e;
    char path[4096];
    if (argc >= 2 && strcmp(argv[1], "-p") == 0) {
        is_proven = 1;
        argc--;
        argv++;
    }
    top = argc >= 2 ? opendir(argv[1]) : NULL;
    if (!top)
        return 2;
    while ((e = readdir(top)) && count < MOST)
        if (e->d_type == DT_DIR && e->d_name[0] != '.') {
            snprintf(path, sizeof path, "%s/%s", argv[1], e->d_name);
            directories[count++] = strdup(path);
        }
    closedir(top);
    qsort(directories, (size_t)count, sizeof *directories, by_name);
    if (argc == 3)
        return one_stream(argv[2]);
    sched_getaffinity(0, sizeof set, &set);
    cores = CPU_COUNT(&set) < 64 ? CPU_COUNT(&set) : 64;
    for (int i = 0; i < cores; i++)
        pthread_create(&threads[i], NULL, work, NULL);
    for (int i = 0; i < cores; i++)
        pthread_join(threads[i], NULL);
    printf("%lu\n", atomic_load(&packed));
    return 0;
}
