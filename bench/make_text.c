/* SPDX-License-Identifier: Apache-2.0 */
/* make_text DIRECTORY DIRECTORIES FILES BYTES: as many directories with as many files of so many bytes, of
 * lines as a tide gauge writes them; the same on every run. With 0 directories: one file of this name. */
#include <fcntl.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

static uint64_t state = 0x9E3779B97F4A7C15u;

static unsigned chance(unsigned below)
{
    state ^= state << 13;
    state ^= state >> 7;
    state ^= state << 17;
    return (unsigned)((state >> 33) % below);
}

/* Lines until `size` bytes are there. */
static void fill(char *out, size_t size)
{
    static const char *const stations[] = {"north", "south", "mole", "outer-bar", "lagoon"};
    static unsigned second;
    char line[128];
    for (size_t at = 0; at < size;) {
        int len = snprintf(line, sizeof line, "2026-%02u-%02uT%02u:%02u:%02uZ,%s,%u.%03u,%d.%u,ok\n",
                           1 + second / 2592000 % 12, 1 + second / 86400 % 28, second / 3600 % 24,
                           second / 60 % 60, second % 60, stations[chance(5)], chance(4), chance(1000),
                           (int)chance(30) - 5, chance(10));
        size_t n = size - at < (size_t)len ? size - at : (size_t)len;
        second += 10;
        memcpy(out + at, line, n);
        at += n;
    }
}

static void make_file(const char *path, uint64_t bytes)
{
    enum { STEP = 1 << 20 };
    static char text[STEP];
    int fd = open(path, O_WRONLY | O_CREAT | O_TRUNC, 0644);
    while (fd >= 0 && bytes) {
        size_t n = bytes < STEP ? (size_t)bytes : STEP;
        fill(text, n);
        if (write(fd, text, n) != (ssize_t)n)
            exit(2);
        bytes -= n;
    }
    if (fd < 0 || close(fd) != 0)
        exit(2);
}

int main(int argc, char **argv)
{
    unsigned directories = argc == 5 ? (unsigned)atoi(argv[2]) : 0,
             files = argc == 5 ? (unsigned)atoi(argv[3]) : 0;
    uint64_t bytes = argc == 5 ? strtoull(argv[4], NULL, 10) : 0;
    char path[4096];
    if (argc != 5)
        return 2;
    if (directories == 0) {
        make_file(argv[1], bytes);
        return 0;
    }
    mkdir(argv[1], 0755);
    for (unsigned d = 0; d < directories; d++) {
        snprintf(path, sizeof path, "%s/day-%05u", argv[1], d);
        if (mkdir(path, 0755) != 0)
            return 2;
        for (unsigned f = 0; f < files; f++) {
            snprintf(path, sizeof path, "%s/day-%05u/gauge-%05u.csv", argv[1], d, f);
            make_file(path, bytes);
        }
    }
    return 0;
}
