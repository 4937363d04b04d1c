/* SPDX-License-Identifier: Apache-2.0 */
/* floor_one FILE TRASH STATE: moves one file into a trash with its info file, and waits for the disk as often
 * as a run does that keeps a ledger: its mark, its docket, its intent, its outcome, and two checkpoints. */
#include <fcntl.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

static int failures;

static int at(int dir, const char *name, int flags)
{
    int fd = openat(dir, name, flags | O_CLOEXEC, 0600);
    failures += fd < 0;
    return fd;
}

static int make(int dir, const char *name)
{
    mkdirat(dir, name, 0700);
    return at(dir, name, O_RDONLY | O_DIRECTORY);
}

static void wait_for(int fd)
{
    failures += fsync(fd) != 0;
}

static void put(int dir, const char *name, int flags)
{
    int fd = at(dir, name, O_WRONLY | O_CREAT | flags);
    failures += write(fd, "a line of the length that a line has", 36) != 36;
    wait_for(fd);
    close(fd);
}

static void put_whole(int dir, const char *fresh, const char *name)
{
    put(dir, fresh, O_TRUNC);
    failures += renameat(dir, fresh, dir, name) != 0;
    wait_for(dir);
}

static void put_checkpoint(int ledger)
{
    put(ledger, "lines", O_APPEND);
    put(ledger, "hashes", O_APPEND);
    wait_for(ledger);
    put_whole(ledger, "checkpoint.new", "checkpoint");
}

int main(int argc, char **argv)
{
    const char *name = argc == 4 ? strrchr(argv[1], '/') : NULL;
    char directory[4096], info_name[300], run_name[64];
    int here, state, runs, run, ledger, trash, info, files;
    if (!name)
        return 2;
    snprintf(directory, sizeof directory, "%.*s", (int)(name - argv[1]), argv[1]);
    snprintf(info_name, sizeof info_name, "%s.trashinfo", name + 1);
    snprintf(run_name, sizeof run_name, "run-%ld", (long)getpid());
    here = at(AT_FDCWD, directory, O_RDONLY | O_DIRECTORY);
    trash = make(AT_FDCWD, argv[2]);
    info = make(trash, "info");
    files = make(trash, "files");
    state = make(AT_FDCWD, argv[3]);
    runs = make(state, "runs");
    ledger = make(state, "ledger");
    run = make(runs, run_name);
    put_whole(runs, "open.new", "open");
    put_checkpoint(ledger);
    put(run, "000001.docket", 0);
    wait_for(run);
    put(ledger, "lines", O_APPEND);
    put(info, info_name, O_EXCL);
    failures += renameat(here, name + 1, files, name + 1) != 0;
    wait_for(here);
    wait_for(info);
    wait_for(files);
    put_checkpoint(ledger);
    return failures != 0;
}
