/* SPDX-License-Identifier: Apache-2.0 */
/* Which files are open for writing, and by whom, from every process's /proc (proc_pid_fd(5)): the mode of the
 * link says how the file was opened. One pass over all processes answers for any number of files. */
#include "base/grow.h"
#include "os/linux.h"
#include "os/os.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

struct file_key {
    uint64_t device, inode;
};

struct olv_os_in_use {
    struct file_key *files; /* sorted */
    size_t count, cap;
    bool is_incomplete; /* some process could not be examined */
};

static int by_key(const void *a, const void *b)
{
    const struct file_key *x = a, *y = b;
    if (x->device != y->device)
        return x->device < y->device ? -1 : 1;
    return x->inode < y->inode ? -1 : x->inode > y->inode;
}

static void linux_in_use_add(struct olv_os_in_use *in_use, struct file_key key)
{
    if (grow(&in_use->files, in_use->count, &in_use->cap, sizeof *in_use->files))
        in_use->files[in_use->count++] = key;
    else
        in_use->is_incomplete = true;
}

bool olv_os_in_use_is_complete(const struct olv_os_in_use *in_use)
{
    return !in_use->is_incomplete;
}

/* ---- all descriptors that are open for writing ---- */

/* One of them. */
struct descriptor {
    int proc, fds; /* /proc, and its directory of the process's descriptors */
    const char *process, *name;
    struct olv_stat file; /* a regular one */
};

struct each_descriptor {
    bool (*each)(void *self, const struct descriptor *descriptor); /* false: no more */
    void *self;
    bool is_incomplete, is_stopped;
};

static void read_process(struct each_descriptor *e, int proc, const char *process)
{
    char path[300];
    struct dirent *entry;
    struct stat link;
    DIR *fds;
    int fd;
    snprintf(path, sizeof path, "%s/fd", process);
    fd = openat(proc, path, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    fds = fd >= 0 ? fdopendir(fd) : NULL;
    if (!fds) {
        e->is_incomplete |= errno != ENOENT && errno != ESRCH; /* those have exited meanwhile */
        olv_os_close(fd);
        return;
    }
    while (!e->is_stopped && (entry = readdir(fds))) {
        struct descriptor d = {.proc = proc, .fds = fd, .process = process, .name = entry->d_name};
        if (entry->d_name[0] == '.' || fstatat(fd, entry->d_name, &link, AT_SYMLINK_NOFOLLOW) < 0)
            continue;
        if ((link.st_mode & S_IWUSR) && linux_stat_open(fd, entry->d_name, &d.file) &&
            d.file.kind == OLV_KIND_FILE)
            e->is_stopped = !e->each(e->self, &d);
    }
    closedir(fds);
}

/* False: there is no /proc. */
static bool read_processes(struct each_descriptor *e)
{
    DIR *processes = opendir("/proc");
    struct dirent *entry;
    if (!processes)
        return false;
    while (!e->is_stopped && (entry = readdir(processes)))
        if (entry->d_name[0] >= '1' && entry->d_name[0] <= '9')
            read_process(e, dirfd(processes), entry->d_name);
    closedir(processes);
    return true;
}

/* ---- which files ---- */

static bool add_file(void *self, const struct descriptor *d)
{
    linux_in_use_add(self, (struct file_key){d->file.device, d->file.inode});
    return true;
}

struct olv_os_in_use *olv_os_in_use_read(void)
{
    struct olv_os_in_use *in_use = calloc(1, sizeof *in_use);
    struct each_descriptor e = {.each = add_file, .self = in_use};
    if (in_use && !read_processes(&e)) {
        free(in_use);
        return NULL;
    }
    if (!in_use)
        return NULL;
    in_use->is_incomplete |= e.is_incomplete;
    if (in_use->count)
        qsort(in_use->files, in_use->count, sizeof *in_use->files, by_key);
    return in_use;
}

bool olv_os_is_in_use(const struct olv_os_in_use *in_use, uint64_t device, uint64_t inode)
{
    const struct file_key key = {device, inode};
    return in_use->count && bsearch(&key, in_use->files, in_use->count, sizeof key, by_key);
}

void olv_os_in_use_free(struct olv_os_in_use *in_use)
{
    if (!in_use)
        return;
    free(in_use->files);
    free(in_use);
}

/* ---- who ---- */

struct looking_for {
    struct file_key file;
    bool (*each)(void *self, const struct olv_os_writer *writer);
    void *self;
};

/* fdinfo says the flags of open(2) in octal (proc_pid_fdinfo(5)). */
static bool appends(const struct descriptor *d)
{
    char path[300], line[128];
    unsigned long flags = 0;
    int info;
    FILE *file;
    snprintf(path, sizeof path, "%.32s/fdinfo/%.32s", d->process, d->name);
    info = openat(d->proc, path, O_RDONLY | O_CLOEXEC);
    file = info >= 0 ? fdopen(info, "r") : NULL;
    if (!file)
        olv_os_close(info);
    while (file && fgets(line, sizeof line, file))
        if (strncmp(line, "flags:", 6) == 0)
            flags = strtoul(line + 6, NULL, 8);
    if (file)
        fclose(file);
    return flags & O_APPEND;
}

static void read_program(const struct descriptor *d, char *out, size_t size)
{
    char path[300];
    int fd;
    ssize_t got;
    snprintf(path, sizeof path, "%.32s/comm", d->process);
    fd = openat(d->proc, path, O_RDONLY | O_CLOEXEC);
    got = fd >= 0 ? read(fd, out, size - 1) : 0;
    out[got > 0 ? got : 0] = '\0';
    out[strcspn(out, "\n")] = '\0';
    olv_os_close(fd);
}

static bool tell_writer(void *self, const struct descriptor *d)
{
    const struct looking_for *l = self;
    char program[64];
    struct olv_os_writer writer = {.program = program};
    if (d->file.device != l->file.device || d->file.inode != l->file.inode)
        return true;
    read_program(d, program, sizeof program);
    writer.process = strtoll(d->process, NULL, 10);
    writer.appends = appends(d);
    return l->each(l->self, &writer);
}

bool olv_os_each_writer(uint64_t device, uint64_t inode,
                        bool (*each)(void *self, const struct olv_os_writer *writer), void *self)
{
    struct looking_for l = {{device, inode}, each, self};
    struct each_descriptor e = {.each = tell_writer, .self = &l};
    return read_processes(&e) && !e.is_incomplete && !e.is_stopped;
}
