/* SPDX-License-Identifier: Apache-2.0 */
/* floor_compress zstd|gzip FILE OUT: floor of compressing one large file: libzstd with a worker for each core
 * (level 3), or zlib in one thread (level 6). Nothing is read back, and nothing brought to the disk. */
#include <fcntl.h>
#include <sched.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>
#include <zlib.h>
#include <zstd.h>

enum { STEP = 1 << 20 };

static char in[STEP], out[STEP];

static int zstd(int from, int to)
{
    ZSTD_CCtx *c = ZSTD_createCCtx();
    cpu_set_t set;
    ssize_t n;
    size_t left;
    sched_getaffinity(0, sizeof set, &set);
    ZSTD_CCtx_setParameter(c, ZSTD_c_compressionLevel, 3);
    ZSTD_CCtx_setParameter(c, ZSTD_c_checksumFlag, 1);
    ZSTD_CCtx_setParameter(c, ZSTD_c_nbWorkers, CPU_COUNT(&set));
    do {
        ZSTD_inBuffer i = {in, 0, 0};
        n = read(from, in, STEP);
        i.size = n > 0 ? (size_t)n : 0;
        do {
            ZSTD_outBuffer o = {out, STEP, 0};
            left = ZSTD_compressStream2(c, &o, &i, n > 0 ? ZSTD_e_continue : ZSTD_e_end);
            if (ZSTD_isError(left) || write(to, out, o.pos) != (ssize_t)o.pos)
                return 2;
        } while (n > 0 ? i.pos < i.size : left > 0);
    } while (n > 0);
    return 0;
}

static int gzip(int from, int to)
{
    z_stream z = {0};
    ssize_t n;
    int code;
    if (deflateInit2(&z, 6, Z_DEFLATED, 15 + 16, 8, Z_DEFAULT_STRATEGY) != Z_OK)
        return 2;
    do {
        n = read(from, in, STEP);
        z.next_in = (Bytef *)in;
        z.avail_in = n > 0 ? (uInt)n : 0;
        do {
            z.next_out = (Bytef *)out;
            z.avail_out = STEP;
            code = deflate(&z, n > 0 ? Z_NO_FLUSH : Z_FINISH);
            if (write(to, out, STEP - z.avail_out) < 0)
                return 2;
        } while (n > 0 ? z.avail_out == 0 : code != Z_STREAM_END);
    } while (n > 0);
    return 0;
}

int main(int argc, char **argv)
{
    int from = argc == 4 ? open(argv[2], O_RDONLY) : -1,
        to = argc == 4 ? open(argv[3], O_WRONLY | O_CREAT | O_TRUNC, 0644) : -1;
    if (from < 0 || to < 0)
        return 2;
    return strcmp(argv[1], "zstd") == 0 ? zstd(from, to) : gzip(from, to);
}
