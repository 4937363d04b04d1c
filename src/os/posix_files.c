/* SPDX-License-Identifier: Apache-2.0 */
/* POSIX.1-2008 has no leases, unnamed files, extended attributes or holes. */
#include "os/files.h"

#include <errno.h>
#include <fcntl.h>
#include <string.h>

int olv_os_open_file(int dir, const char *name)
{
    return openat(dir, name, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_NOCTTY | O_CLOEXEC);
}

enum olv_truth olv_os_watch(int fd)
{
    (void)fd;
    return OLV_UNKNOWN;
}

bool olv_os_is_watch_broken(int fd)
{
    (void)fd;
    return false;
}

int olv_os_make_unnamed(int dir)
{
    (void)dir;
    errno = EOPNOTSUPP;
    return -1;
}

bool olv_os_name_unnamed(int fd, int dir, const char *name)
{
    (void)fd;
    (void)dir;
    (void)name;
    errno = EOPNOTSUPP;
    return false;
}

bool olv_os_uuid(int fd, uint8_t out[16])
{
    (void)fd;
    memset(out, 0, 16);
    return false;
}

bool olv_os_project(int fd, uint32_t *out)
{
    (void)fd;
    *out = 0;
    return false;
}

bool olv_os_set_project(int fd, uint32_t project)
{
    (void)fd;
    (void)project;
    return false;
}

void olv_os_begin_sync(int fd, uint64_t at, uint64_t length)
{
    (void)fd;
    (void)at;
    (void)length;
}

bool olv_os_make_device(int dir, const char *name, mode_t type, uint32_t major, uint32_t minor)
{
    (void)dir;
    (void)name;
    (void)type;
    (void)major;
    (void)minor;
    errno = EOPNOTSUPP; /* the standard does not say how device numbers are composed */
    return false;
}

bool olv_os_each_attribute(int fd, bool (*each)(void *self, const char *name, const void *value, size_t len),
                           void *self)
{
    (void)fd;
    (void)each;
    (void)self;
    return true;
}

ssize_t olv_os_get_attribute(int fd, const char *name, void *value, size_t size)
{
    (void)fd;
    (void)name;
    (void)value;
    (void)size;
    errno = EOPNOTSUPP;
    return -1;
}

ssize_t olv_os_get_attribute_of(int dir, const char *file, const char *name, void *value, size_t size)
{
    (void)file;
    return olv_os_get_attribute(dir, name, value, size);
}

bool olv_os_set_attribute(int fd, const char *name, const void *value, size_t len)
{
    (void)fd;
    (void)name;
    (void)value;
    (void)len;
    errno = EOPNOTSUPP;
    return false;
}

bool olv_os_remove_attribute(int fd, const char *name)
{
    (void)fd;
    (void)name;
    errno = EOPNOTSUPP;
    return false;
}

bool olv_os_clear_lists(int fd)
{
    (void)fd;
    return true;
}

bool olv_os_is_own_attribute(const char *name)
{
    (void)name;
    return false;
}

bool olv_os_next_data(int fd, uint64_t from, uint64_t size, uint64_t *begin, uint64_t *end)
{
    (void)fd;
    *begin = from;
    *end = size;
    return from < size;
}
