/* SPDX-License-Identifier: Apache-2.0 */
/* The order matters: changing the owner clears set-id bits, an access control list changes the mode, and
 * everything changes times. */
#include "file/attributes.h"

#include "os/files.h"

#include <errno.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

struct copying {
    int to;
    struct olv_error *err;
};

static bool copy_one(void *self, const char *name, const void *value, size_t len)
{
    struct copying *c = self;
    if (strncmp(name, ATTRIBUTES_NOTES, strlen(ATTRIBUTES_NOTES)) == 0 ||
        olv_os_set_attribute(c->to, name, value, len) || olv_os_is_own_attribute(name))
        return true;
    olv_fail_system(c->err, "", "cannot keep its attribute %.100s", name);
    errno = 0;
    return false;
}

bool attributes_set_times(int fd, const struct olv_stat *stat, struct olv_error *err)
{
    struct timespec times[2] = {{(time_t)stat->accessed.s, (long)stat->accessed.ns},
                                {(time_t)stat->modified.s, (long)stat->modified.ns}};
    return futimens(fd, times) == 0 || olv_fail_system(err, "", "cannot keep its times");
}

static bool copy_owner(const struct olv_stat *stat, int to, struct olv_error *err)
{
    struct stat now;
    if (fstat(to, &now) == 0 && now.st_uid == stat->owner && now.st_gid == stat->group)
        return true;
    return fchown(to, (uid_t)stat->owner, (gid_t)stat->group) == 0 ||
           olv_fail_system(err, "", "cannot keep its owner and group");
}

bool attributes_copy(int from, const struct olv_stat *stat, int to, struct olv_error *err)
{
    struct copying c = {to, err};
    if (!copy_owner(stat, to, err))
        return false;
    if (!olv_os_each_attribute(from, copy_one, &c))
        return err->code != OLV_OK ? false : olv_fail_system(err, "", "cannot read its attributes");
    if (fchmod(to, (mode_t)stat->mode) != 0)
        return olv_fail_system(err, "", "cannot keep its mode");
    return attributes_set_times(to, stat, err);
}
