/* SPDX-License-Identifier: Apache-2.0 */
/* Every attempt is one rename that replaces nothing, so that two programs lose nothing either. */
#include "file/rename.h"

#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

enum { MOST_NUMBERS = 100000 };
static const char NUMBERED[] = " (%u)", ASIDE[] = ".set-aside-%u";

static bool taken(struct olv_error *err, const char *name)
{
    olv_fail(err, OLV_EXISTS, "the name is taken, so it stays where it is");
    return olv_error_at(err, name);
}

static bool rename_failed(struct olv_error *err, const char *name)
{
    return errno == EEXIST ? taken(err, name) : olv_fail_system(err, name, "cannot put it in place");
}

/* The part of the name before its suffix; a leading dot starts no suffix. */
static int stem_length(const char *name)
{
    const char *dot = strrchr(name, '.');
    return (int)(dot && dot != name ? (size_t)(dot - name) : strlen(name));
}

/* "gauge (2).csv", shortened if it would be too long. */
static void numbered(char out[NAME_MAX + 1], const char *name, const char *format, unsigned number)
{
    char middle[32];
    int stem = stem_length(name), room, len = snprintf(middle, sizeof middle, format, number);
    size_t suffix = strlen(name + stem);
    room = NAME_MAX - len - (int)(suffix < 64 ? suffix : 64);
    snprintf(out, NAME_MAX + 1, "%.*s%s%.64s", stem < room ? stem : room, name, middle, name + stem);
}

static bool rename_numbered(int from, const char *name, int to, const char *wanted, const char *format,
                            unsigned first, char out[NAME_MAX + 1])
{
    for (unsigned number = first; number < MOST_NUMBERS; number++) {
        numbered(out, wanted, format, number);
        if (olv_os_rename_new(from, name, to, out))
            return true;
        if (errno != EEXIST)
            return false;
    }
    return false;
}

/* Moves what is there out of the way, and takes its name; on failure, moves it back. */
static bool set_aside(int from, const char *name, int to, const char *wanted, struct olv_error *err)
{
    char aside[NAME_MAX + 1];
    int sys;
    if (!rename_numbered(to, wanted, to, wanted, ASIDE, 1, aside))
        return rename_failed(err, wanted);
    if (olv_os_rename_new(from, name, to, wanted))
        return true;
    sys = errno;
    if (olv_os_rename_new(to, aside, to, wanted)) {
        errno = sys;
        return rename_failed(err, wanted);
    }
    errno = sys;
    return olv_fail_system(err, wanted, "cannot put it in place; the old one is now called %.250s", aside);
}

static bool rename_replacing(int from, const char *name, int to, const char *wanted)
{
    struct olv_stat there;
    if (olv_os_stat(to, wanted, &there) && there.kind == OLV_KIND_DIRECTORY) {
        errno = EEXIST; /* a tree is never replaced */
        return false;
    }
    return renameat(from, name, to, wanted) == 0;
}

static enum olv_truth find_numbered(int dir, const char *wanted, const char *format, unsigned first,
                                    bool (*is_it)(const void *self, const struct olv_stat *stat),
                                    const void *self, char out[NAME_MAX + 1])
{
    enum { MOST_GAPS = 8 }; /* numbers freed by somebody since */
    struct olv_stat stat;
    unsigned gaps = 0;
    for (unsigned number = first; gaps < MOST_GAPS && number < MOST_NUMBERS; number++) {
        numbered(out, wanted, format, number);
        if (olv_os_stat(dir, out, &stat)) {
            if (is_it(self, &stat))
                return OLV_YES;
        } else if (errno == ENOENT) {
            gaps++;
        } else {
            return OLV_UNKNOWN;
        }
    }
    return OLV_NO;
}

enum olv_truth rename_find(int dir, const char *wanted,
                           bool (*is_it)(const void *self, const struct olv_stat *stat), const void *self,
                           char out[NAME_MAX + 1])
{
    return find_numbered(dir, wanted, NUMBERED, 2, is_it, self, out);
}

static bool is_same(const void *self, const struct olv_stat *stat)
{
    const struct olv_stat *other = self;
    return stat->mount == other->mount && stat->inode == other->inode;
}

void rename_settle(int dir, const char *wanted)
{
    char aside[NAME_MAX + 1];
    struct olv_stat stat;
    if (olv_os_stat(dir, wanted, &stat) && stat.kind != OLV_KIND_DIRECTORY && stat.links > 1 &&
        find_numbered(dir, wanted, ASIDE, 1, is_same, &stat, aside) == OLV_YES)
        unlinkat(dir, aside, 0);
}

bool rename_to(int from, const char *name, int to, const char *wanted, enum olv_if_exists if_exists,
               char out[NAME_MAX + 1], struct olv_error *err)
{
    bool ok = olv_os_rename_new(from, name, to, wanted);
    snprintf(out, NAME_MAX + 1, "%s", wanted);
    if (ok || errno != EEXIST)
        return ok || rename_failed(err, wanted);
    switch (if_exists) {
    case OLV_NUMBER:
        ok = rename_numbered(from, name, to, wanted, NUMBERED, 2, out);
        break;
    case OLV_SET_ASIDE:
        return set_aside(from, name, to, wanted, err);
    case OLV_REPLACE:
        ok = rename_replacing(from, name, to, wanted);
        break;
    default:
        return taken(err, wanted);
    }
    return ok || rename_failed(err, wanted);
}
