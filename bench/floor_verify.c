/* SPDX-License-Identifier: Apache-2.0 */
/* floor_verify LEDGER: the bare work of verifying. Every volume is read, the part of every line that the
 * tree is over is hashed, and the hashes are folded pairwise to one (RFC 9162), by all cores. Nothing is
 * compared. */
#include <dirent.h>
#include <fcntl.h>
#include <openssl/evp.h>
#include <pthread.h>
#include <sched.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

enum { MOST_CORES = 64 };

struct hasher {
    EVP_MD *md;
    EVP_MD_CTX *ctx;
};

static struct hasher new_hasher(void)
{
    struct hasher h = {EVP_MD_fetch(NULL, "SHA256", NULL), EVP_MD_CTX_new()};
    EVP_DigestInit_ex2(h.ctx, h.md, NULL);
    return h;
}

static void free_hasher(struct hasher h)
{
    EVP_MD_CTX_free(h.ctx);
    EVP_MD_free(h.md);
}

static char *text;
static size_t text_len;
static unsigned char (*hashes)[32], (*folded)[32];
static unsigned cores;

struct part {
    size_t from, to, first; /* bytes; number of the first line */
    size_t low, high;       /* pairs to fold */
    pthread_t thread;
};

static void *hash_lines(void *argument)
{
    struct part *p = argument;
    struct hasher h = new_hasher();
    size_t number = p->first;
    for (size_t at = p->from; at < p->to;) {
        char *line = text + at, *stop = memchr(line, '\n', p->to - at);
        char *open = memmem(line, (size_t)(stop - line), ",\"open\":", 8);
        EVP_DigestInit_ex2(h.ctx, NULL, NULL);
        EVP_DigestUpdate(h.ctx, "", 1);
        EVP_DigestUpdate(h.ctx, line, (size_t)((open ? open : stop) - line));
        EVP_DigestUpdate(h.ctx, "}", 1);
        EVP_DigestFinal_ex(h.ctx, hashes[number++], NULL);
        at = (size_t)(stop + 1 - text);
    }
    free_hasher(h);
    return NULL;
}

static void *fold(void *argument)
{
    struct part *p = argument;
    struct hasher h = new_hasher();
    unsigned char bytes[65] = {1};
    for (size_t i = p->low; i < p->high; i++) {
        memcpy(bytes + 1, hashes[2 * i], 64);
        EVP_DigestInit_ex2(h.ctx, NULL, NULL);
        EVP_DigestUpdate(h.ctx, bytes, sizeof bytes);
        EVP_DigestFinal_ex(h.ctx, folded[i], NULL);
    }
    free_hasher(h);
    return NULL;
}

static void side_by_side(struct part *parts, void *(*work)(void *))
{
    for (unsigned i = 0; i < cores; i++)
        pthread_create(&parts[i].thread, NULL, work, &parts[i]);
    for (unsigned i = 0; i < cores; i++)
        pthread_join(parts[i].thread, NULL);
}

static void read_file(int dir, const char *name)
{
    struct stat st;
    ssize_t got;
    int fd = openat(dir, name, O_RDONLY);
    fstat(fd, &st);
    text = realloc(text, (size_t)st.st_size);
    text_len = 0;
    while ((got = read(fd, text + text_len, (size_t)st.st_size - text_len)) > 0)
        text_len += (size_t)got;
    close(fd);
}

static size_t count_lines(size_t from, size_t to)
{
    size_t count = 0;
    for (char *at = text + from; (at = memchr(at, '\n', (size_t)(text + to - at))); at++)
        count++;
    return count;
}

int main(int argc, char **argv)
{
    struct part parts[MOST_CORES];
    struct dirent **names;
    size_t lines = 0;
    int dir = argc == 2 ? open(argv[1], O_RDONLY | O_DIRECTORY) : -1, count;
    cpu_set_t set;
    sched_getaffinity(0, sizeof set, &set);
    cores = (unsigned)CPU_COUNT(&set);
    count = dir < 0 ? -1 : scandir(argv[1], &names, NULL, alphasort);
    for (int i = 0; i < count; i++) {
        size_t at = 0;
        if (strncmp(names[i]->d_name, "lines-", 6) != 0)
            continue;
        read_file(dir, names[i]->d_name);
        for (unsigned k = 0; k < cores; k++) {
            size_t end = k + 1 == cores ? text_len : text_len / cores * (k + 1);
            while (end < text_len && text[end - 1] != '\n')
                end++;
            parts[k] = (struct part){.from = at, .to = end, .first = lines};
            lines += count_lines(at, end);
            at = end;
        }
        hashes = realloc(hashes, (lines + 1) * 32);
        side_by_side(parts, hash_lines);
    }
    folded = malloc((lines + 1) * 32);
    for (size_t width = lines; width > 1; width = (width + 1) / 2) {
        unsigned char(*swap)[32] = hashes;
        size_t pairs = width / 2;
        for (unsigned k = 0; k < cores; k++)
            parts[k] = (struct part){.low = pairs * k / cores, .high = pairs * (k + 1) / cores};
        side_by_side(parts, fold);
        if (width % 2)
            memcpy(folded[pairs], hashes[width - 1], 32);
        hashes = folded;
        folded = swap;
    }
    if (lines)
        printf("%zu lines, %02x%02x\n", lines, hashes[0][0], hashes[0][1]);
    return count < 0;
}
