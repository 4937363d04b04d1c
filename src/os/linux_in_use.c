/* SPDX-License-Identifier: Apache-2.0 */
/* Which files are open for writing, from every process's /proc (proc_pid_fd(5)): the mode of the link says
 * how the file was opened. One pass over all processes answers for any number of files. */
#include "base/grow.h"
#include "os/linux.h"
#include "os/os.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
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

static void read_process(struct olv_os_in_use *in_use, int proc, const char *process)
{
    char path[300];
    struct dirent *entry;
    struct stat link;
    struct olv_stat file;
    DIR *fds;
    int fd;
    snprintf(path, sizeof path, "%s/fd", process);
    fd = openat(proc, path, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    fds = fd >= 0 ? fdopendir(fd) : NULL;
    if (!fds) {
        in_use->is_incomplete |= errno != ENOENT && errno != ESRCH; /* those have exited meanwhile */
        olv_os_close(fd);
        return;
    }
    while ((entry = readdir(fds))) {
        if (entry->d_name[0] == '.' || fstatat(fd, entry->d_name, &link, AT_SYMLINK_NOFOLLOW) < 0)
            continue;
        if ((link.st_mode & S_IWUSR) && linux_stat_open(fd, entry->d_name, &file) &&
            file.kind == OLV_KIND_FILE)
            linux_in_use_add(in_use, (struct file_key){file.device, file.inode});
    }
    closedir(fds);
}

struct olv_os_in_use *olv_os_in_use_read(void)
{
    struct olv_os_in_use *in_use = NULL;
    DIR *processes = opendir("/proc");
    struct dirent *entry;
    if (processes && (in_use = calloc(1, sizeof *in_use))) {
        while ((entry = readdir(processes)))
            if (entry->d_name[0] >= '1' && entry->d_name[0] <= '9')
                read_process(in_use, dirfd(processes), entry->d_name);
        if (in_use->count)
            qsort(in_use->files, in_use->count, sizeof *in_use->files, by_key);
    }
    if (processes)
        closedir(processes);
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
