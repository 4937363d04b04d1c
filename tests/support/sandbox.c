/* SPDX-License-Identifier: Apache-2.0 */
#include "support/sandbox.h"

#include "support/apart.h"

#include <dirent.h>
#include <fcntl.h>
#include <ftw.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

int sandbox_setup(void **state)
{
    struct sandbox *s = calloc(1, sizeof *s);
    char *real;
    stand_apart();
    snprintf(s->path, sizeof s->path, "/tmp/olvido-test-XXXXXX");
    if (!mkdtemp(s->path))
        return -1;
    real = realpath(s->path, NULL);
    snprintf(s->path, sizeof s->path, "%s", real);
    free(real);
    *state = s;
    return 0;
}

static int remove_one(const char *path, const struct stat *st, int type, struct FTW *at)
{
    (void)st;
    (void)type;
    (void)at;
    return remove(path);
}

static int open_up(const char *path, const struct stat *st, int type, struct FTW *at)
{
    (void)st;
    (void)at;
    return type == FTW_D || type == FTW_DNR ? chmod(path, 0700) : 0;
}

/* What is freed with the sandbox; there is one at a time. */
static struct {
    char **items;
    size_t count;
} kept;

char *sandbox_keep(char *memory)
{
    char **grown = realloc(kept.items, (kept.count + 1) * sizeof *grown);
    assert_non_null(grown);
    kept.items = grown;
    return kept.items[kept.count++] = memory;
}

static void free_kept(void)
{
    while (kept.count)
        free(kept.items[--kept.count]);
    free(kept.items);
    kept.items = NULL;
}

int sandbox_teardown(void **state)
{
    struct sandbox *s = *state;
    free_kept();
    nftw(s->path, open_up, 16, FTW_PHYS);
    nftw(s->path, remove_one, 16, FTW_DEPTH | FTW_PHYS);
    free(s);
    return 0;
}

const char *in(const struct sandbox *s, const char *name)
{
    static char paths[16][4096];
    static unsigned next;
    char *path = paths[next++ % 16];
    snprintf(path, sizeof paths[0], "%s%s%s", s->path, *name ? "/" : "", name);
    return path;
}

void make_dir(const struct sandbox *s, const char *name)
{
    assert_int_equal(mkdir(in(s, name), 0755), 0);
}

void set_age(const struct sandbox *s, const char *name, double days_old)
{
    struct timespec times[2] = {{.tv_sec = time(NULL) - (time_t)(days_old * 86400)}};
    times[1] = times[0];
    assert_int_equal(utimensat(AT_FDCWD, in(s, name), times, AT_SYMLINK_NOFOLLOW), 0);
}

void overwrite(const struct sandbox *s, const char *name, const char *text, size_t len)
{
    int fd = open(in(s, name), O_WRONLY | O_CREAT | O_TRUNC, 0644);
    assert_true(fd >= 0);
    assert_int_equal(write(fd, text, len), (ssize_t)len);
    close(fd);
}

void make_file(const struct sandbox *s, const char *name, const char *text, double days_old)
{
    overwrite(s, name, text, strlen(text));
    set_age(s, name, days_old);
}

bool exists(const struct sandbox *s, const char *name)
{
    struct stat st;
    return lstat(in(s, name), &st) == 0;
}

char *slurp(const struct sandbox *s, const char *name)
{
    FILE *file = fopen(in(s, name), "rb");
    char *text;
    long len;
    assert_non_null(file);
    fseek(file, 0, SEEK_END);
    len = ftell(file);
    rewind(file);
    text = calloc(1, (size_t)len + 1);
    assert_int_equal(fread(text, 1, (size_t)len, file), (size_t)len);
    fclose(file);
    return sandbox_keep(text);
}

unsigned count_entries(const struct sandbox *s, const char *name)
{
    DIR *stream = opendir(in(s, name));
    struct dirent *e;
    unsigned count = 0;
    assert_non_null(stream);
    while ((e = readdir(stream)))
        count += e->d_name[0] != '.' || (e->d_name[1] && strcmp(e->d_name, "..") != 0);
    closedir(stream);
    return count;
}

void write_policy(const struct sandbox *s, ...)
{
    char text[8192] = "olvido: 1\n";
    size_t used = strlen(text);
    const char *piece;
    va_list pieces;
    va_start(pieces, s);
    while ((piece = va_arg(pieces, const char *)))
        for (; *piece && used + sizeof s->path < sizeof text; piece++)
            used += (size_t)(*piece == '@' ? snprintf(text + used, sizeof s->path, "%s", s->path)
                                           : snprintf(text + used, 2, "%c", *piece));
    va_end(pieces);
    overwrite(s, "policy.yaml", text, used);
}

void make_scratch_policy(const struct sandbox *s)
{
    make_dir(s, "tides");
    make_dir(s, "tides/scratch");
    write_policy(s,
                 "title: Faro Norte tide observatory\n"
                 "rules:\n"
                 "  - name: scratch\n"
                 "    under: @/tides/scratch\n"
                 "    steps:\n"
                 "      - { after: 30 days, do: discard }\n",
                 NULL);
}

void assert_true_because(bool holds, const char *text, const char *part)
{
    if (!holds)
        fail_msg("looked for <%s> in:\n%s", part, text);
}

bool is_thorough(void)
{
    return getenv("THOROUGH") != NULL;
}

unsigned stride(void)
{
    const char *text = getenv("STRIDE");
    int n = text ? atoi(text) / 2 : 1;
    return n > 1 ? (unsigned)n : 1;
}
