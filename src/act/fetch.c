/* SPDX-License-Identifier: Apache-2.0 */
/* fetch: out of an archive in a depot, back to where it was or to somewhere else, with everything it had. The
 * archive is only read. */
#include "act/act.h"
#include "act/destination.h"
#include "archive/directories.h"
#include "archive/restore.h"
#include "depot/vault.h"
#include "file/identity.h"
#include "os/files.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

struct fetching {
    struct olv_act_context *context;
    const struct olv_docket_entry *entry;
    struct olv_how how;
    struct restore_options options;
    char label[FRESH_LABEL];
    struct tar_reader *reader;
    struct olv_member member;
    bool has_contents; /* which were read, and digested */
    int dir;           /* where it goes */
    char directory[PATH_MAX];
    const char *name;
    char placed[NAME_MAX + 1];
};

/* ---- the member ---- */

static bool open_member(struct fetching *f, int archive, struct olv_error *err)
{
    struct olv_act_context *c = f->context;
    struct vault_place place = {archive, f->entry->identity.inode, f->how.codec, f->how.begins,
                                f->how.within};
    if (!c->vault)
        c->vault = vault_new();
    if (!c->vault)
        return olv_fail_memory(err);
    f->reader = vault_open(c->vault, &place, &f->member, err);
    return f->reader != NULL;
}

/* Whatever the format's own checksums say, or do not say: the contents must be those that were put in. */
static bool is_intact(struct fetching *f, struct olv_error *err)
{
    uint8_t *digest = f->context->digest;
    olv_hasher_end(f->context->hasher, digest);
    return !f->how.has_digest || memcmp(digest, f->how.digest, OLV_SHA256_SIZE) == 0 ||
           olv_fail(err, OLV_BROKEN, "the archive is damaged: these are not the contents that were put in");
}

static bool copy_data(struct fetching *f, int fd, struct olv_error *err)
{
    struct olv_hasher *hasher = f->context->hasher;
    const uint8_t *bytes;
    size_t len = 1;
    uint64_t at = 0;
    olv_hasher_begin(hasher);
    while (len) {
        if (!tar_data(f->reader, &bytes, &len, &at, err))
            return false;
        if (olv_observe_interrupted(f->context->observer))
            return olv_fail(err, OLV_INTERRUPTED, "interrupted");
        if (len && !restore_write(fd, bytes, len, at, err))
            return false;
        olv_hasher_fill(hasher, len ? at : f->member.size_bytes);
        olv_hasher_add(hasher, bytes, len);
    }
    return is_intact(f, err);
}

static bool restore_contents(struct fetching *f, struct olv_error *err)
{
    struct fresh fresh;
    bool ok = f->has_contents = true;
    ok = fresh_open(&fresh, f->dir, f->label, err) && copy_data(f, fresh.fd, err) &&
         restore_file(&fresh, f->name, &f->member, &f->options, f->placed, err);
    if (ok && f->context->is_small && fsync(fresh.fd) != 0)
        ok = olv_fail_system(err, "", "cannot bring it to the disk");
    fresh_close(&fresh);
    return ok;
}

/* A directory that is there stays as it is. */
static bool restore_directory(struct fetching *f, struct olv_error *err)
{
    struct olv_act_context *c = f->context;
    struct olv_stat stat;
    snprintf(f->placed, sizeof f->placed, "%s", f->name);
    if (mkdirat(f->dir, f->name, 0700) != 0) {
        if (errno == EEXIST && olv_os_stat(f->dir, f->name, &stat) && stat.kind == OLV_KIND_DIRECTORY)
            return true;
        return olv_fail_system(err, "", "cannot make the directory");
    }
    if (!c->directories)
        c->directories = directories_new(err);
    return c->directories &&
           directories_add(c->directories, f->entry->target + strspn(f->entry->target, "/"), &f->member, err);
}

/* The other name of a hard link was recovered as well, most often just before. */
static bool restore_link(struct fetching *f)
{
    const char *slash = strrchr(f->how.into, '/');
    struct olv_error ignored = {0};
    struct olv_stat stat;
    char *directory;
    int from;
    bool ok = false;
    if (!slash || f->member.kind != OLV_KIND_FILE)
        return false;
    directory = strndup(f->how.into, slash == f->how.into ? 1 : (size_t)(slash - f->how.into));
    from = directory ? olv_os_open_path(directory) : -1;
    if (from >= 0 && olv_os_stat(from, slash + 1, &stat) && stat.kind == OLV_KIND_FILE &&
        stat.size_bytes == f->member.size_bytes &&
        olv_instant_compare(stat.modified, f->member.modified) == 0 && stat.mode == f->member.mode)
        ok = restore_hard_link(from, slash + 1, f->dir, f->name, &f->options, f->placed, &ignored);
    if (from >= 0)
        close(from);
    free(directory);
    return ok;
}

static bool restore(struct fetching *f, struct olv_error *err)
{
    if (restore_link(f))
        return true;
    switch (f->member.kind) {
    case OLV_KIND_FILE:
        return restore_contents(f, err);
    case OLV_KIND_DIRECTORY:
        return restore_directory(f, err);
    default:
        return restore_special(f->dir, f->name, &f->member, &f->options, f->placed, err);
    }
}

/* ---- the act ---- */

static bool begin(struct fetching *f, struct olv_outcome *o)
{
    const struct olv_docket_entry *e = f->entry;
    if (!olv_how_get(e->how, &f->how) || !f->how.is_member)
        return olv_fail(&o->error, OLV_BROKEN, "the docket does not say where in the archive it is");
    snprintf(f->label, sizeof f->label, "%.24s-%llu", f->context->run,
             (unsigned long long)f->context->sequence);
    f->options = (struct restore_options){e->if_exists, geteuid() == 0, true, f->label};
    return true;
}

static bool fetch(struct fetching *f, struct olv_outcome *o)
{
    const struct olv_docket_entry *e = f->entry;
    struct olv_error *err = &o->error;
    int archive;
    bool ok;
    if (!begin(f, o))
        return false;
    archive = olv_os_open_file(f->context->source.fd, e->name);
    if (archive < 0)
        return olv_fail_system(err, e->name, "cannot open the archive");
    ok = open_member(f, archive, err);
    f->dir = ok ? destination_open(e->target, f->directory, sizeof f->directory, &f->name, err) : -1;
    ok = f->dir >= 0 && destination_is_allowed(f->context, e, f->dir, f->name, o) && restore(f, err);
    close(archive);
    return ok;
}

/* What was written must be on the disk before its outcome is. */
static void touch_contents(struct olv_act_context *c, int dir)
{
    struct olv_stat stat;
    struct olv_error ignored = {0};
    if (!c->is_small && olv_os_stat(dir, "", &stat))
        touched_add_system(c->touched, dir, stat.device, &ignored);
}

static void apply(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct fetching f = {.context = c, .entry = e, .dir = -1};
    if (fetch(&f, o)) {
        o->result = OLV_DONE;
        o->digest = f.has_contents ? c->digest : NULL;
        destination_note(c, f.directory, f.dir, f.placed);
        destination_touch(c, f.dir);
        touch_contents(c, f.dir);
    } else if (o->error.code == OLV_EXISTS && e->if_exists == OLV_SKIP) {
        o->result = OLV_LEFT;
    } else if (o->result != OLV_DENIED) {
        olv_act_unsuccessful(o);
    }
    if (f.dir >= 0)
        close(f.dir);
}

const struct olv_act olv_act_fetch = {
    .id = OLV_ACT_FETCH,
    .result = "done",
    .is_touching = true,
    .apply = apply,
};
