/* SPDX-License-Identifier: Apache-2.0 */
#include "file/fresh.h"

#include "file/place.h"
#include "os/files.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

void fresh_name(const char *label, char out[FRESH_LABEL + 32])
{
    snprintf(out, FRESH_LABEL + 32, ".olvido-%.*s.part", FRESH_LABEL, label);
}

bool fresh_open(struct fresh *f, int dir, const char *label, struct olv_error *err)
{
    *f = (struct fresh){.fd = olv_os_make_unnamed(dir), .dir = dir};
    if (f->fd >= 0)
        return true;
    if (errno != EOPNOTSUPP)
        return olv_fail_system(err, "", "cannot make the new file");
    fresh_name(label, f->name);
    f->fd = openat(dir, f->name, O_RDWR | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0600);
    if (f->fd >= 0)
        return true;
    olv_fail_system(err, f->name, "cannot make the new file");
    f->name[0] = '\0';
    return false;
}

/* A name of its own in the directory, for the rename that takes the place of another. */
static bool take_name(struct fresh *f)
{
    char name[sizeof f->name];
    for (unsigned i = 0; i < 100; i++) {
        snprintf(name, sizeof name, ".olvido-%ld-%u.part", (long)getpid(), i);
        if (olv_os_name_unnamed(f->fd, f->dir, name)) {
            memcpy(f->name, name, sizeof name);
            return true;
        }
        if (errno != EEXIST)
            return false;
    }
    return false;
}

static bool is_taken(const char *wanted, struct olv_error *err)
{
    olv_error_clear(err);
    return olv_fail(err, OLV_EXISTS, "there is a %.250s already", wanted);
}

bool fresh_publish(struct fresh *f, const char *wanted, enum olv_if_exists if_exists, char out[NAME_MAX + 1],
                   struct olv_error *err)
{
    if (strlen(wanted) > NAME_MAX) {
        errno = ENAMETOOLONG;
        return olv_fail_system(err, wanted, "cannot give it its name");
    }
    if (!f->name[0] && olv_os_name_unnamed(f->fd, f->dir, wanted)) {
        snprintf(out, NAME_MAX + 1, "%s", wanted);
        return true;
    }
    if (!f->name[0] && errno != EEXIST)
        return olv_fail_system(err, wanted, "cannot give it its name");
    if (!f->name[0] && (if_exists == OLV_REFUSE || if_exists == OLV_SKIP)) {
        return is_taken(wanted, err);
    }
    if (!f->name[0] && !take_name(f))
        return olv_fail_system(err, wanted, "cannot give it its name");
    if (olv_place(f->dir, f->name, f->dir, wanted, if_exists, out, err)) {
        f->name[0] = '\0';
        return true;
    }
    return err->code == OLV_EXISTS ? is_taken(wanted, err) : false;
}

bool fresh_stands(const struct fresh *f, const char *name)
{
    struct olv_stat own, there;
    return f->fd >= 0 && *name && olv_os_stat(f->fd, "", &own) && olv_os_stat(f->dir, name, &there) &&
           own.mount == there.mount && own.inode == there.inode;
}

void fresh_close(struct fresh *f)
{
    if (f->fd < 0)
        return;
    if (f->name[0])
        unlinkat(f->dir, f->name, 0);
    close(f->fd);
    f->fd = -1;
}

void fresh_clear(int dir, const char *label)
{
    char name[FRESH_LABEL + 32];
    fresh_name(label, name);
    unlinkat(dir, name, 0);
}
