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

/* ---- in two steps ---- */

static bool announced(const struct rename_witness *w, enum rename_half half, const char *from, const char *to)
{
    struct olv_error err = {0};
    if (!w || w->announce(w->self, half, from, to, &err))
        return true;
    errno = err.sys ? err.sys : EIO;
    return false;
}

bool rename_seen(const struct rename_witness *w, enum rename_half half, int from, const char *name, int to,
                 const char *wanted)
{
    struct olv_stat there;
    int sys;
    if (olv_os_rename_once(from, name, to, wanted))
        return true;
    if (errno != EOPNOTSUPP)
        return false;
    errno = olv_os_stat(to, wanted, &there) ? EEXIST : errno;
    if (errno != ENOENT || !announced(w, half, name, wanted))
        return false;
    if (olv_os_rename_new(from, name, to, wanted))
        return true;
    sys = errno;
    announced(w, half, "", "");
    errno = sys;
    return false;
}

static bool is_same_file(const struct olv_stat *a, const struct olv_stat *b)
{
    return a->device == b->device && a->inode == b->inode;
}

bool rename_is_half(int from, const char *name, int to, const char *wanted)
{
    struct olv_stat before, after;
    return olv_os_stat(from, name, &before) && olv_os_stat(to, wanted, &after) &&
           before.kind != OLV_KIND_DIRECTORY && is_same_file(&before, &after);
}

/* ---- names that are taken ---- */

/* A move that is under way. */
struct moving {
    const struct rename_witness *witness;
    int from, to;
    const char *name, *wanted;
};

static bool rename_numbered(const struct moving *m, enum rename_half half, const char *format, unsigned first,
                            char out[NAME_MAX + 1])
{
    for (unsigned number = first; number < MOST_NUMBERS; number++) {
        numbered(out, m->wanted, format, number);
        if (rename_seen(m->witness, half, m->from, m->name, m->to, out))
            return true;
        if (errno != EEXIST)
            return false;
    }
    return false;
}

/* Moves what is there out of the way, and takes its name; on failure, moves it back. */
static bool set_aside(const struct moving *m, struct olv_error *err)
{
    const struct moving there = {m->witness, m->to, m->to, m->wanted, m->wanted};
    char aside[NAME_MAX + 1];
    int sys;
    if (!rename_numbered(&there, RENAME_ASIDE, ASIDE, 1, aside))
        return rename_failed(err, m->wanted);
    if (rename_seen(m->witness, RENAME_THERE, m->from, m->name, m->to, m->wanted))
        return true;
    sys = errno;
    if (rename_seen(m->witness, RENAME_ASIDE, m->to, aside, m->to, m->wanted)) {
        errno = sys;
        return rename_failed(err, m->wanted);
    }
    errno = sys;
    return olv_fail_system(err, m->wanted, "cannot put it in place; the old one is now called %.250s", aside);
}

/* A rename between two names of one file does nothing (POSIX.1-2008, rename): then the name that was to move
 * goes. */
static bool rename_replacing(const struct moving *m)
{
    struct olv_stat there, moves;
    if (!olv_os_stat(m->to, m->wanted, &there))
        return renameat(m->from, m->name, m->to, m->wanted) == 0;
    if (there.kind == OLV_KIND_DIRECTORY) {
        errno = EEXIST; /* a tree is never replaced */
        return false;
    }
    if (!olv_os_stat(m->from, m->name, &moves))
        return false;
    if (is_same_file(&there, &moves))
        return unlinkat(m->from, m->name, 0) == 0;
    return renameat(m->from, m->name, m->to, m->wanted) == 0;
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

bool rename_to(int from, const char *name, int to, const char *wanted, enum olv_if_exists if_exists,
               const struct rename_witness *witness, char out[NAME_MAX + 1], struct olv_error *err)
{
    const struct moving m = {witness, from, to, name, wanted};
    bool ok = rename_seen(witness, RENAME_THERE, from, name, to, wanted);
    snprintf(out, NAME_MAX + 1, "%s", wanted);
    if (ok || errno != EEXIST)
        return ok || rename_failed(err, wanted);
    switch (if_exists) {
    case OLV_NUMBER:
        ok = rename_numbered(&m, RENAME_THERE, NUMBERED, 2, out);
        break;
    case OLV_SET_ASIDE:
        return set_aside(&m, err);
    case OLV_REPLACE:
        ok = rename_replacing(&m);
        break;
    default:
        return taken(err, wanted);
    }
    return ok || rename_failed(err, wanted);
}
