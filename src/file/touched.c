/* SPDX-License-Identifier: Apache-2.0 */
#include "file/touched.h"

#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <unistd.h>

static bool touched_failed(struct olv_error *err)
{
    return olv_fail_system(err, "", "cannot sync what was done");
}

static bool has_system(const struct touched *t, uint64_t device)
{
    for (unsigned i = 0; i < t->system_count; i++)
        if (t->systems[i].device == device)
            return true;
    return false;
}

/* False if there is no room. */
static bool touched_put(struct touched_item *places, unsigned *count, unsigned most, int fd, uint64_t device,
                        uint64_t inode)
{
    int own = *count < most ? fcntl(fd, F_DUPFD_CLOEXEC, 3) : -1;
    if (own < 0)
        return false;
    places[(*count)++] = (struct touched_item){device, inode, own};
    return true;
}

bool touched_add_system(struct touched *t, int fd, uint64_t device, struct olv_error *err)
{
    return has_system(t, device) ||
           touched_put(t->systems, &t->system_count, TOUCHED_MOST_SYSTEMS, fd, device, 0) ||
           olv_os_sync_all(fd) || touched_failed(err);
}

bool touched_is_few(size_t files)
{
    enum { FEW = 16 };
    return files <= FEW;
}

bool touched_add_file(struct touched *t, int fd, uint64_t device, size_t files, struct olv_error *err)
{
    if (!touched_is_few(files))
        return touched_add_system(t, fd, device, err);
    return fsync(fd) == 0 || olv_fail_system(err, "", "cannot sync the new file");
}

/* Makes room: from now on the file systems of these directories are synced as a whole. */
static bool widen(struct touched *t, struct olv_error *err)
{
    bool ok = true;
    for (unsigned i = 0; i < t->few_count; i++) {
        ok = touched_add_system(t, t->few[i].fd, t->few[i].device, err) && ok;
        close(t->few[i].fd);
    }
    t->few_count = 0;
    return ok;
}

static bool is_added(const struct touched *t, const struct olv_stat *stat)
{
    for (unsigned i = 0; i < t->few_count; i++)
        if (t->few[i].inode == stat->inode && t->few[i].device == stat->device)
            return true;
    return has_system(t, stat->device);
}

bool touched_add(struct touched *t, int fd, const struct olv_stat *stat, struct olv_error *err)
{
    if (is_added(t, stat))
        return true;
    if (t->few_count == TOUCHED_FEW)
        return widen(t, err) && touched_add(t, fd, stat, err);
    return touched_put(t->few, &t->few_count, TOUCHED_FEW, fd, stat->device, stat->inode) || fsync(fd) == 0 ||
           touched_failed(err);
}

bool touched_sync(struct touched *t, struct olv_error *err)
{
    int error = 0;
    for (unsigned i = 0; i < t->few_count; i++)
        if (!has_system(t, t->few[i].device) && fsync(t->few[i].fd) < 0 && !error)
            error = errno;
    for (unsigned i = 0; i < t->system_count; i++)
        if (!olv_os_sync_all(t->systems[i].fd) && !error)
            error = errno;
    touched_free(t);
    errno = error;
    return error == 0 || touched_failed(err);
}

void touched_free(struct touched *t)
{
    for (unsigned i = 0; i < t->few_count; i++)
        close(t->few[i].fd);
    for (unsigned i = 0; i < t->system_count; i++)
        close(t->systems[i].fd);
    t->few_count = t->system_count = 0;
}
