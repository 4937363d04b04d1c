/* SPDX-License-Identifier: Apache-2.0 */
#include "file/fresh.h"

#include "base/digest.h"
#include "file/removal.h"
#include "file/rename.h"
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

bool fresh_random_label(char label[FRESH_LABEL], struct olv_error *err)
{
    uint8_t bytes[10];
    if (!olv_random(bytes, sizeof bytes))
        return olv_fail(err, OLV_SYSTEM, "the system gives no random bytes");
    olv_hex(bytes, sizeof bytes, label);
    return true;
}

static void aside_name(const char *label, char out[FRESH_LABEL + 32])
{
    snprintf(out, FRESH_LABEL + 32, ".olvido-%.*s.replaced", FRESH_LABEL, label);
}

static bool fresh_open_it(struct fresh *f, struct olv_error *err)
{
    f->fd = olv_os_make_unnamed(f->dir);
    if (f->fd >= 0)
        return true;
    if (errno != EOPNOTSUPP)
        return olv_fail_system(err, "", "cannot make the new file");
    fresh_name(f->label, f->name);
    f->fd = openat(f->dir, f->name, O_RDWR | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0600);
    if (f->fd >= 0)
        return true;
    olv_fail_system(err, f->name, "cannot make the new file");
    f->name[0] = '\0';
    return false;
}

bool fresh_open(struct fresh *f, int dir, const char *label, struct olv_error *err)
{
    *f = (struct fresh){.fd = -1, .dir = dir};
    snprintf(f->label, sizeof f->label, "%s", label);
    if (!fresh_open_it(f, err))
        return false;
    if (olv_os_clear_lists(f->fd))
        return true;
    olv_fail_system(err, "", "cannot remove the access list that the directory gives to new files");
    fresh_close(f);
    return false;
}

/* Takes a temporary name in the directory, for the rename that replaces another file. */
static bool take_name(struct fresh *f)
{
    fresh_name(f->label, f->name);
    if (olv_os_name_unnamed(f->fd, f->dir, f->name))
        return true;
    f->name[0] = '\0';
    return false;
}

static bool is_taken(const char *wanted, struct olv_error *err)
{
    olv_error_clear(err);
    return olv_fail(err, OLV_EXISTS, "there is a %.250s already", wanted);
}

/* ---- replacing ---- */

/* The old file is never without a name: it is set aside by the exchange, or right before it. */
static bool fresh_replace(struct fresh *f, const char *wanted)
{
    struct olv_stat there;
    char aside[sizeof f->aside];
    if (!olv_os_stat(f->dir, wanted, &there)) {
        if (errno != ENOENT)
            return false;
    } else if (there.kind == OLV_KIND_DIRECTORY) {
        errno = EEXIST; /* a tree is never replaced */
        return false;
    }
    aside_name(f->label, aside);
    if (olv_os_exchange(f->dir, f->name, f->dir, wanted)) {
        memcpy(f->aside, f->name, sizeof f->aside);
    } else if (errno == EOPNOTSUPP && olv_os_rename_new(f->dir, wanted, f->dir, aside)) {
        if (!olv_os_rename_new(f->dir, f->name, f->dir, wanted)) {
            int sys = errno;
            olv_os_rename_new(f->dir, aside, f->dir, wanted);
            errno = sys;
            return false;
        }
        memcpy(f->aside, aside, sizeof f->aside);
    } else {
        return false;
    }
    f->name[0] = '\0';
    return true;
}

bool fresh_keep(struct fresh *f)
{
    if (*f->aside && unlinkat(f->dir, f->aside, 0) != 0)
        return false;
    f->aside[0] = '\0';
    return true;
}

bool fresh_take_back(struct fresh *f, const char *placed)
{
    bool ok = fresh_stands(f, placed) == OLV_YES;
    if (ok && *f->aside)
        ok = renameat(f->dir, f->aside, f->dir, placed) == 0; /* replaces the new file, which had that name */
    else if (ok)
        ok = unlinkat(f->dir, placed, 0) == 0;
    if (ok)
        f->aside[0] = '\0';
    return ok;
}

/* ---- its name ---- */

static bool place(struct fresh *f, const char *wanted, enum olv_if_exists if_exists, char out[NAME_MAX + 1],
                  struct olv_error *err)
{
    if (if_exists == OLV_REPLACE) {
        snprintf(out, NAME_MAX + 1, "%s", wanted);
        if (olv_os_rename_new(f->dir, f->name, f->dir, wanted)) {
            f->name[0] = '\0';
            return true;
        }
        if (errno == EEXIST && fresh_replace(f, wanted))
            return true;
        return errno == EEXIST ? is_taken(wanted, err)
                               : olv_fail_system(err, wanted, "cannot give it its name");
    }
    if (rename_to(f->dir, f->name, f->dir, wanted, if_exists, NULL, out, err)) {
        f->name[0] = '\0';
        return true;
    }
    return err->code == OLV_EXISTS ? is_taken(wanted, err) : false;
}

/* Somebody exchanged the temporary name for a moment, and the other file is in place now: the old one stays
 * set aside, and nothing is removed. Or the new file cannot be looked at: it is taken back, if that can be
 * done. */
static bool lost(struct fresh *f, const char *placed, enum olv_truth stands, struct olv_error *err)
{
    int sys = stands == OLV_UNKNOWN ? errno : 0;
    if (sys)
        fresh_take_back(f, placed);
    olv_fail(err, OLV_SYSTEM, "%s%s%.100s",
             sys ? "cannot look at the new file" : "somebody has put another file in its place",
             *f->aside ? "; what was there is " : "", f->aside);
    olv_error_at(err, placed);
    err->sys = sys;
    f->aside[0] = '\0';
    return false;
}

bool fresh_publish(struct fresh *f, const char *wanted, enum olv_if_exists if_exists, char out[NAME_MAX + 1],
                   struct olv_error *err)
{
    enum olv_truth stands;
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
    if (!f->name[0] && (if_exists == OLV_REFUSE || if_exists == OLV_SKIP))
        return is_taken(wanted, err);
    if (!f->name[0] && !take_name(f))
        return olv_fail_system(err, wanted, "cannot give it its name");
    if (!place(f, wanted, if_exists, out, err))
        return false;
    stands = fresh_stands(f, out);
    return stands == OLV_YES || lost(f, out, stands, err);
}

enum olv_truth fresh_stands(const struct fresh *f, const char *name)
{
    struct olv_stat own, there;
    if (f->fd < 0 || !*name)
        return OLV_NO;
    if (!olv_os_stat(f->fd, "", &own))
        return OLV_UNKNOWN;
    if (!olv_os_stat(f->dir, name, &there))
        return errno == ENOENT ? OLV_NO : OLV_UNKNOWN;
    return own.mount == there.mount && own.inode == there.inode ? OLV_YES : OLV_NO;
}

void fresh_close(struct fresh *f)
{
    if (f->fd < 0)
        return;
    fresh_keep(f);
    if (f->name[0])
        unlinkat(f->dir, f->name, 0);
    close(f->fd);
    f->fd = -1;
}

/* ---- after a crash ---- */

static enum olv_truth is_at(int dir, const struct fresh_search *s, const char *name)
{
    struct olv_stat stat;
    if (!s->is_it)
        return OLV_NO;
    if (!olv_os_stat(dir, name, &stat))
        return errno == ENOENT ? OLV_NO : OLV_UNKNOWN;
    return s->is_it(s->self, &stat) ? OLV_YES : OLV_NO;
}

/* The temporary name holds either the new file, or the one it was exchanged with: that one has its name again
 * where the new one does not have it (any more). */
static void clear_temporary(int dir, const struct fresh_search *s, bool has_name)
{
    char name[FRESH_LABEL + 32];
    fresh_name(s->label, name);
    if (!s->is_it || is_at(dir, s, name) == OLV_YES)
        removal_unlink(REMOVAL_TEMPORARY, dir, name);
    else if (!has_name)
        olv_os_rename_new(dir, name, dir, s->wanted);
}

enum olv_truth fresh_find(int dir, const struct fresh_search *s, char out[NAME_MAX + 1])
{
    char aside[FRESH_LABEL + 32];
    enum olv_truth is_found = is_at(dir, s, s->wanted);
    snprintf(out, NAME_MAX + 1, "%s", s->wanted);
    if (is_found == OLV_NO && s->if_exists == OLV_NUMBER && s->is_it)
        is_found = rename_find(dir, s->wanted, s->is_it, s->self, out);
    if (is_found == OLV_UNKNOWN)
        return OLV_UNKNOWN;
    clear_temporary(dir, s, is_found == OLV_YES);
    if (is_found == OLV_YES)
        return OLV_YES;
    aside_name(s->label, aside);                    /* set aside, and its name not taken */
    if (rename_is_half(dir, s->wanted, dir, aside)) /* nobody else can know that name */
        removal_unlink(REMOVAL_HALF, dir, aside);
    else
        olv_os_rename_new(dir, aside, dir, s->wanted);
    return OLV_NO;
}

void fresh_settle_keep(int dir, const char *label)
{
    char name[FRESH_LABEL + 32];
    fresh_name(label, name);
    removal_unlink(REMOVAL_REPLACED, dir, name);
    aside_name(label, name);
    removal_unlink(REMOVAL_REPLACED, dir, name);
}

bool fresh_settle_back(int dir, const struct fresh_search *s, const char *placed)
{
    char name[FRESH_LABEL + 32];
    if (is_at(dir, s, placed) != OLV_YES)
        return false;
    fresh_name(s->label, name);
    if (renameat(dir, name, dir, placed) == 0)
        return true;
    aside_name(s->label, name);
    return renameat(dir, name, dir, placed) == 0 || removal_unlink(REMOVAL_NEW_FILE, dir, placed) == 0;
}
