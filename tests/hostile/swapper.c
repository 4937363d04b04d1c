/* SPDX-License-Identifier: Apache-2.0 */
/* swapper ARENA VICTIM COUNTS: another user, who exchanges what is in a directory while root works there:
 * each name that it sees, the moment it appears, and names that it can foresee, for links to a victim's files
 * and directories, hard links, pipes, directories, younger files. It never ends by itself; COUNTS is a file
 * of two numbers, 8 bytes each: how often it has exchanged something, and how often something that was made
 * meanwhile. */
#define _GNU_SOURCE
#include <dirent.h>
#include <fcntl.h>
#include <limits.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/inotify.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

enum { MOST_NAMES = 1024, MOST_WATCHES = 256, DEPTH = 4, LOOK_EVERY = 64, NAME = 512 };

static char names[MOST_NAMES][NAME];
static unsigned name_count;
static struct watch {
    int id;
    char path[NAME];
} watches[MOST_WATCHES];
static unsigned watch_count;
static int events = -1;
static volatile uint64_t *counts;
static const char *victim;
static unsigned seed = 1;

static const char *const baits[] = {"bait/to-directory", "bait/to-file", "bait/pipe",       "bait/young",
                                    "bait/directory",    "bait/hard",    "bait/hard-device"};
enum { BAITS = sizeof baits / sizeof *baits };

static unsigned chance(unsigned of)
{
    seed = seed * 1103515245u + 12345u;
    return (seed >> 8) % of;
}

static const char *in_victim(const char *name)
{
    static char path[PATH_MAX];
    snprintf(path, sizeof path, "%s/%s", victim, name);
    return path;
}

static void link_hard(const char *from, const char *to)
{
    if (linkat(AT_FDCWD, from, AT_FDCWD, to, 0) != 0)
        return; /* where the system forbids it */
}

/* What is exchanged for what is there. What went away with an exchange is made again. */
static void make_baits(void)
{
    int fd;
    mkdir("bait", 0777);
    chmod("bait", 0777);
    if (symlink(victim, "bait/to-directory") != 0 && chance(2))
        (void)unlink("bait/to-nothing");
    if (symlink(in_victim("private"), "bait/to-file") != 0)
        (void)unlink("bait/to-nothing");
    mkfifo("bait/pipe", 0666);
    mkdir("bait/directory", 0777);
    link_hard(in_victim("private"), "bait/hard");
    link_hard(in_victim("device"), "bait/hard-device");
    fd = open("bait/young", O_WRONLY | O_CREAT | O_NONBLOCK | O_NOFOLLOW, 0666);
    if (fd >= 0) {
        if (write(fd, "young\n", 6) != 6)
            (void)lseek(fd, 0, SEEK_SET);
        close(fd);
    }
}

/* ---- what is there ---- */

static void watch(const char *path)
{
    int id = inotify_add_watch(events, path, IN_CREATE | IN_MOVED_TO | IN_ONLYDIR | IN_DONT_FOLLOW);
    for (unsigned i = 0; i < watch_count; i++)
        if (watches[i].id == id) {
            snprintf(watches[i].path, NAME, "%s", path);
            return;
        }
    if (id < 0 || watch_count == MOST_WATCHES)
        return;
    watches[watch_count].id = id;
    snprintf(watches[watch_count++].path, NAME, "%s", path);
}

static void look(const char *path, int depth)
{
    DIR *dir = opendir(path);
    struct dirent *e;
    watch(path);
    while (dir && (e = readdir(dir)) && name_count < MOST_NAMES) {
        char *name = names[name_count];
        if (strcmp(e->d_name, ".") == 0 || strcmp(e->d_name, "..") == 0 || strcmp(e->d_name, "bait") == 0)
            continue;
        if (snprintf(name, NAME, "%s%s%s", strcmp(path, ".") == 0 ? "" : path,
                     strcmp(path, ".") == 0 ? "" : "/", e->d_name) >= NAME)
            continue;
        name_count++;
        if (e->d_type == DT_DIR && depth > 0)
            look(name, depth - 1);
    }
    if (dir)
        closedir(dir);
}

/* ---- exchanging ---- */

static void exchange(const char *name, int kind)
{
    const char *bait = baits[chance(BAITS)];
    if (renameat2(AT_FDCWD, name, AT_FDCWD, bait, RENAME_EXCHANGE) != 0)
        return;
    counts[0]++;
    counts[1] += kind == 1;
    if (chance(2) && renameat2(AT_FDCWD, name, AT_FDCWD, bait, RENAME_EXCHANGE) == 0)
        counts[0]++;
}

/* A name that something is going to get, or that was there a moment ago. */
static void foresee(const char *name)
{
    static const char *const ends[] = {"", ".zst", ".gz", "-2", ".r2.tar", "/r.csv"};
    char path[NAME + 16];
    snprintf(path, sizeof path, "%s%s", name, ends[chance(sizeof ends / sizeof *ends)]);
    switch (chance(4)) {
    case 0:
        counts[0] += symlink(victim, path) == 0;
        break;
    case 1:
        counts[0] += symlink(in_victim("private"), path) == 0;
        break;
    case 2:
        counts[0] += linkat(AT_FDCWD, in_victim("private"), AT_FDCWD, path, 0) == 0;
        break;
    default:
        counts[0] += unlink(path) == 0;
    }
}

/* What has just appeared, most of all under a name for a moment only. */
static void pounce(void)
{
    char buffer[8192];
    ssize_t got = read(events, buffer, sizeof buffer);
    for (char *at = buffer; got > 0 && at < buffer + got;) {
        const struct inotify_event *e = (const void *)at;
        char path[2 * NAME];
        for (unsigned i = 0; i < watch_count; i++)
            if (watches[i].id == e->wd && e->len) {
                snprintf(path, sizeof path, "%s/%s", watches[i].path, e->name);
                exchange(path, 1);
            }
        at += sizeof *e + e->len;
    }
}

static void *map_counts(const char *path)
{
    int fd = open(path, O_RDWR);
    void *memory = fd >= 0 ? mmap(NULL, 16, PROT_READ | PROT_WRITE, MAP_SHARED, fd, 0) : MAP_FAILED;
    if (fd >= 0)
        close(fd);
    return memory;
}

int main(int argc, char **argv)
{
    enum { THEM = 4242 };
    if (argc != 4 || (counts = map_counts(argv[3])) == MAP_FAILED || chdir(argv[1]) != 0 ||
        (getgid() != THEM && setgid(THEM) != 0) || (getuid() != THEM && setuid(THEM) != 0))
        return 2;
    victim = argv[2];
    seed = (unsigned)getpid();
    umask(0);
    for (uint64_t turn = 0;; turn++) {
        if (turn % LOOK_EVERY == 0) {
            if (turn % (LOOK_EVERY * 64) == 0) {
                if (events >= 0)
                    close(events);
                events = inotify_init1(IN_NONBLOCK | IN_CLOEXEC);
                watch_count = 0;
            }
            make_baits();
            name_count = 0;
            look(".", DEPTH);
        }
        pounce();
        if (!name_count)
            continue;
        if (chance(8) == 0)
            foresee(names[chance(name_count)]);
        else
            exchange(names[chance(name_count)], 0);
    }
}
