/* SPDX-License-Identifier: Apache-2.0 */
/* A file is written beside its destination, fsynced, and renamed over it: after a crash either the old or the
 * new one is there. */
#include "os/durable.h"

#include "olvido/text.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdint.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

bool olv_write_all(int fd, const void *bytes, size_t len)
{
    const char *at = bytes;
    while (len) {
        ssize_t n = write(fd, at, len);
        if (n < 0 && errno == EINTR)
            continue;
        if (n < 0)
            return false;
        at += n;
        len -= (size_t)n;
    }
    return true;
}

bool olv_write_new_by(int dir, const char *name, bool (*put)(void *self, int fd, struct olv_error *err),
                      void *self, struct olv_error *err)
{
    int fd = openat(dir, name, O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0600);
    bool ok;
    if (fd < 0)
        return olv_fail_system(err, name, "cannot make the file");
    ok = put(self, fd, err) && (fsync(fd) == 0 || olv_fail_system(err, "", "cannot write the file"));
    close(fd);
    if (ok)
        return true;
    unlinkat(dir, name, 0);
    olv_error_at(err, name);
    return false;
}

struct writing {
    const void *bytes;
    size_t len;
};

static bool put_bytes(void *self, int fd, struct olv_error *err)
{
    const struct writing *w = self;
    return olv_write_all(fd, w->bytes, w->len) || olv_fail_system(err, "", "cannot write the file");
}

bool olv_write_new(int dir, const char *name, const void *bytes, size_t len, struct olv_error *err)
{
    return olv_write_new_by(dir, name, put_bytes, &(struct writing){bytes, len}, err);
}

bool olv_publish(int dir, const char *name, const void *bytes, size_t len, struct olv_error *err)
{
    char beside[NAME_MAX + 1];
    size_t n = strlen(name);
    if (n + sizeof ".new" > sizeof beside)
        return olv_fail(err, OLV_SYSTEM, "the name %s is too long", name);
    memcpy(beside, name, n);
    memcpy(beside + n, ".new", sizeof ".new");
    unlinkat(dir, beside, 0); /* left by a cut-short run */
    if (!olv_write_new(dir, beside, bytes, len, err))
        return false;
    if (renameat(dir, beside, dir, name) == 0 && fsync(dir) == 0)
        return true;
    return olv_fail_system(err, name, "cannot put the file in place");
}

bool olv_read_file(int dir, const char *name, size_t most, struct olv_text *out, struct olv_error *err)
{
    int fd = openat(dir, name, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC);
    ssize_t got = 1;
    struct stat st;
    olv_text_clear(out);
    if (fd < 0)
        return olv_fail_system(err, name, "cannot open the file");
    if (fstat(fd, &st) != 0) {
        olv_fail_system(err, name, "cannot look at the file");
    } else if (S_ISREG(st.st_mode) && (uint64_t)st.st_size <= most) {
        size_t want = (size_t)st.st_size;
        char *room = olv_text_room(out, want);
        while (room && out->len < want && (got = read(fd, room + out->len, want - out->len)) > 0)
            out->len += (size_t)got;
        if (room && got >= 0) {
            room[out->len] = '\0';
            close(fd);
            return true;
        }
        olv_fail_system(err, name, "cannot read the file");
    } else {
        olv_fail(err, OLV_SYSTEM, "not a regular file of at most %zu bytes", most);
        olv_error_at(err, name);
    }
    close(fd);
    if (out->failed)
        olv_fail_memory(err);
    olv_text_clear(out); /* it may hold a part, without a final NUL */
    return false;
}

bool olv_read_failed_for_now(const struct olv_error *err)
{
    return err->code == OLV_MEMORY ||
           (err->sys && !olv_os_is_absent(err->sys) && err->sys != EISDIR && err->sys != ENXIO);
}
