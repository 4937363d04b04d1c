/* SPDX-License-Identifier: Apache-2.0 */
/* frozen and append-only are attributes of the file system; readonly takes the write permissions out of the
 * mode. With an access control list the group's permissions in the mode are its mask (POSIX.1e draft 17,
 * 23.1.3), so giving the mode back gives the mask back. */
#include "file/protection.h"

#include "os/files.h"
#include "os/flags.h"
#include "os/os.h"

#include <errno.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>

enum { WRITES = 0222, GROUP_WRITES = 020 };
static const char LIST[] = "system.posix_acl_access";

const char *olv_protection_word(enum olv_protection level)
{
    return level == OLV_FROZEN ? "frozen" : level == OLV_APPEND_ONLY ? "append-only" : "readonly";
}

const char *olv_protection_words(unsigned levels)
{
    static const char *const words[] = {
        "",       "readonly",         "append-only",         "append-only, readonly",
        "frozen", "frozen, readonly", "frozen, append-only", "frozen, append-only, readonly"};
    return words[levels & 7];
}

unsigned olv_protection_of(const struct olv_stat *stat)
{
    bool has_mode = stat->kind != OLV_KIND_LINK && !(stat->mode & WRITES);
    return (has_mode ? OLV_READONLY : 0u) | (stat->is_append_only ? OLV_APPEND_ONLY : 0u) |
           (stat->is_immutable ? OLV_FROZEN : 0u);
}

/* ---- opening ---- */

int protection_open(int dir, const char *name, struct olv_error *err)
{
    struct olv_stat stat;
    int passing = olv_os_open_passing(dir, name), fd = -1;
    if (passing < 0 || !olv_os_stat(passing, "", &stat))
        olv_fail_system(err, name, "cannot open it");
    else if (stat.kind != OLV_KIND_FILE && stat.kind != OLV_KIND_DIRECTORY)
        olv_fail(err, OLV_REFUSED, "it is a %s: Olvido protects files and directories only",
                 olv_kind_word(stat.kind));
    else if ((fd = olv_os_reopen(passing)) < 0)
        olv_fail_system(err, name, errno == ENOENT ? "cannot open it without /proc" : "cannot open it");
    olv_os_close(passing);
    return fd;
}

/* ---- flags ---- */

const char *protection_lacks(int fd)
{
    switch (olv_os_flags_lack(fd)) {
    case OLV_OS_LACKS_WRITING:
        return "its file system is mounted read-only";
    case OLV_OS_LACKS_ATTRIBUTES:
        return "its file system has no such attribute; `--as readonly` works there";
    case OLV_OS_LACKS_PRIVILEGE:
        return "this needs root with the capability CAP_LINUX_IMMUTABLE, which a container may lack; "
               "`--as readonly` needs neither";
    case OLV_OS_LACKS_HOST:
        return "in the user namespace of a container the system never allows it: do it outside, or use "
               "`--as readonly`";
    default:
        return NULL;
    }
}

/* False. */
static bool why_not(int fd, struct olv_error *err)
{
    const char *lacks;
    olv_fail_system(err, "", "the system refuses to change its attributes");
    lacks = protection_lacks(fd);
    return lacks ? olv_fail(err, OLV_SYSTEM, "%s", lacks) : false;
}

static unsigned flags_of(unsigned levels)
{
    return (levels & OLV_APPEND_ONLY ? OLV_OS_APPEND_ONLY : 0u) |
           (levels & OLV_FROZEN ? OLV_OS_IMMUTABLE : 0u);
}

/* Adds `set`, and takes `lifted` away. What cannot be read is not known to be so. */
static bool change_flags(int fd, unsigned set, unsigned lifted, struct olv_error *err)
{
    unsigned now;
    if (!olv_os_flags(fd, &now))
        return why_not(fd, err);
    if (((now | set) & ~lifted) == now)
        return true;
    return olv_os_set_flags(fd, (now | set) & ~lifted) || why_not(fd, err);
}

/* ---- the mode ---- */

static bool set_mode(int fd, const struct olv_stat *stat, uint32_t mode, struct olv_error *err)
{
    if (mode == stat->mode || fchmod(fd, (mode_t)mode) == 0)
        return true;
    olv_fail_system(err, "", "its mode cannot be changed");
    if (stat->is_immutable || stat->is_append_only)
        olv_fail(err, OLV_REFUSED, "its mode cannot be changed while it is %s",
                 olv_protection_words(olv_protection_of(stat) & ~(unsigned)OLV_READONLY));
    return false;
}

bool protection_set(int fd, enum olv_protection level, struct olv_error *err)
{
    struct olv_stat stat;
    if (level != OLV_READONLY)
        return change_flags(fd, flags_of(level), 0, err);
    return olv_os_stat(fd, "", &stat) ? set_mode(fd, &stat, stat.mode & ~(uint32_t)WRITES, err)
                                      : olv_fail_system(err, "", "cannot look at it");
}

/* What a call says that asked for it. */
static enum olv_truth is_list(ssize_t got)
{
    if (got >= 0 || errno == ERANGE)
        return OLV_YES;
    return errno == ENODATA || errno == EOPNOTSUPP ? OLV_NO : OLV_UNKNOWN;
}

enum olv_truth protection_has_list(int dir, const char *name)
{
    char first;
    return is_list(olv_os_get_attribute_of(dir, name, LIST, &first, sizeof first));
}

/* ---- who ---- */

struct olv_protected olv_protected_of(const char *path, const struct olv_stat *stat, int dir)
{
    struct olv_protected p = {.path = path,
                              .inode = stat->inode,
                              .has_born = stat->has_born,
                              .born = stat->born,
                              .rule = "",
                              .run = ""};
    if (!olv_os_uuid(dir, p.uuid))
        memset(p.uuid, 0, sizeof p.uuid);
    return p;
}

bool protection_key(const struct olv_docket_entry *e, struct olv_text *path, struct olv_protected *out)
{
    olv_text_clear(path);
    olv_docket_entry_path(e, path);
    *out = (struct olv_protected){.path = olv_text_string(path),
                                  .inode = e->identity.inode,
                                  .has_born = e->identity.has_born,
                                  .born = e->identity.born,
                                  .rule = "",
                                  .run = ""};
    memcpy(out->uuid, e->at.uuid, sizeof out->uuid);
    return !path->failed;
}

void protection_note_setter(void *self, const struct olv_protected *row)
{
    struct protection_setters *s = self;
    if (row->was_so)
        return;
    if (!*s->who)
        snprintf(s->who, sizeof s->who, "%s%.50s", *row->rule ? "by rule " : "by hand", row->rule);
    s->levels |= row->level;
}

void protection_why(const struct olv_stat *stat, const struct protection_setters *s, char *out, size_t size)
{
    unsigned level = stat->is_immutable ? OLV_FROZEN : OLV_APPEND_ONLY;
    const char *word = stat->is_immutable ? "immutable" : "append-only";
    if (s->levels & level)
        snprintf(out, size, "it is %s (%s): `olvido unprotect` lifts that", word, s->who);
    else
        snprintf(out, size, "it is %s, and not by Olvido: `olvido unprotect --anyway` lifts that", word);
}

/* ---- lifting ---- */

bool protection_lift_flags(int fd, unsigned levels, struct olv_error *err)
{
    return !flags_of(levels) || change_flags(fd, 0, flags_of(levels), err);
}

bool protection_give_back(int fd, uint32_t mode, bool has_list, bool *is_changed, struct olv_error *err)
{
    struct olv_stat stat;
    uint32_t given = mode & WRITES;
    char first;
    enum olv_truth has_one = is_list(olv_os_get_attribute(fd, LIST, &first, sizeof first));
    if (has_one == OLV_UNKNOWN)
        return olv_fail_system(err, "", "cannot find out whether it has an access control list");
    if (!olv_os_stat(fd, "", &stat))
        return olv_fail_system(err, "", "cannot look at it");
    *is_changed = stat.mode != (mode & ~(uint32_t)WRITES);
    if (is_list(olv_os_get_attribute(fd, LIST, &first, sizeof first)) !=
        has_list) { /* then these bits have another meaning by now */
        given &= ~(uint32_t)GROUP_WRITES;
        *is_changed = true;
    }
    return set_mode(fd, &stat, stat.mode | given, err);
}
