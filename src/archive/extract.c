/* SPDX-License-Identifier: Apache-2.0 */
/* Member by member: everything except directories is completed without a name, or under a temporary one, and
 * then published; directories get their metadata at the end. */
#include "olvido/archive.h"

#include "archive/directories.h"
#include "archive/inside.h"
#include "archive/make.h"
#include "archive/reckoning.h"
#include "archive/restore.h"
#include "file/touched.h"
#include "file/trusted.h"
#include "os/files.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

enum { MOST_RATIO = 1000 };
#define RATIO_FROM_BYTES ((uint64_t)1 << 30)

struct extracting {
    struct olv_archive *archive;
    const struct olv_extract_options *options;
    const struct olv_observer *observer;
    struct olv_extract_result *result;
    struct restore_options restore;
    char label[FRESH_LABEL];      /* of what is being made for the current member */
    struct olv_instant begun;     /* by the clock of the destination's file system */
    struct inside inside, others; /* `others`: where hard links lead */
    struct directories *directories;
    uint64_t read;          /* bytes of members, published or not */
    uint64_t holes;         /* bytes of holes in files */
    struct olv_text path;   /* of the member, clean */
    bool is_archive_broken; /* the error is the archive's, not one member's */
    struct reckoning *reckoning;
    bool is_plain;           /* uncompressed: only digests prove contents */
    bool is_manifest;        /* the current member is it, and worth reading */
    struct olv_error damage; /* the first one */
};

/* ---- telling ---- */

static void extract_tell(struct extracting *x, const char *path, const struct olv_error *why)
{
    if (why->code == OLV_REFUSED || why->code == OLV_EXISTS)
        x->result->refused++;
    else
        x->result->failed++;
    olv_observe_trouble(x->observer,
                        (struct olv_trouble){OLV_TROUBLE_FAILED, *path ? path : ".", why->what, why->sys});
}

static void on_directory_failed(void *self, const char *path, const struct olv_error *why)
{
    extract_tell(self, path, why);
}

/* What the manifest lists, but the archive no longer holds as it was. */
static void on_missing(void *self, const char *path, enum missing what)
{
    static const char *const words[] = {
        [MISSING_LOST] = "it is lost: the archive is damaged there",
        [MISSING_ALTERED] = "its contents differ from those archived: the archive is damaged",
        [MISSING_UNPROVEN] = "its contents may be altered: the archive is damaged near them"};
    struct extracting *x = self;
    if (!olv_member_fits(&x->options->filter, path))
        return;
    if (x->damage.code == OLV_OK)
        olv_fail(&x->damage, OLV_BROKEN, "it is damaged: not everything in it is as archived");
    x->result->lost++;
    olv_observe_trouble(x->observer, (struct olv_trouble){OLV_TROUBLE_FAILED, path, words[what], 0});
}

/* How large it became: everything unpacked, wherever it went, and the holes of files. */
static uint64_t expanded(const struct extracting *x)
{
    uint64_t unpacked = olv_archive_unpacked(x->archive);
    return (unpacked > x->read ? unpacked : x->read) + x->holes;
}

static bool may_go_on(void *self, struct olv_error *err)
{
    struct extracting *x = self;
    uint64_t size = olv_archive_size(x->archive), most = x->options->most_bytes, bytes = expanded(x);
    olv_observe_progress(x->observer, (struct olv_progress){.doing = "extracting",
                                                            .files = x->result->done,
                                                            .bytes = olv_archive_position(x->archive)});
    x->is_archive_broken = true;
    if (olv_observe_interrupted(x->observer))
        return olv_fail(err, OLV_INTERRUPTED, "interrupted");
    if (most && bytes > most)
        return olv_fail(err, OLV_REFUSED, "it expands to more than --max-size allows");
    if (!most && bytes > RATIO_FROM_BYTES && bytes / MOST_RATIO > size) {
        olv_fail(err, OLV_REFUSED, "it expands to more than %d times its size, as no honest archive does",
                 MOST_RATIO);
        return olv_error_hint(err, "allow it with --max-size SIZE");
    }
    x->is_archive_broken = false;
    return true;
}

static uint64_t holes_of(const struct olv_member *m)
{
    uint64_t data = 0;
    for (size_t i = 0; i < m->extent_count; i++)
        data += m->extents[i].length;
    return m->is_sparse && m->size_bytes > data ? m->size_bytes - data : 0;
}

/* ---- one member ---- */

static bool copy_data(struct extracting *x, struct fresh *fresh, struct olv_member *m, struct olv_error *err)
{
    bool is_single = olv_archive_form(x->archive) == OLV_FORM_SINGLE;
    const uint8_t *bytes;
    size_t len = 1;
    uint64_t at = 0, holes = holes_of(m);
    x->holes = holes > UINT64_MAX / 4 - x->holes ? UINT64_MAX / 4 : x->holes + holes;
    while (len) {
        if (!olv_archive_data(x->archive, &bytes, &len, &at, err)) {
            x->is_archive_broken = olv_archive_form(x->archive) != OLV_FORM_ZIP;
            return false;
        }
        x->read += len;
        if (!may_go_on(x, err) || !restore_write(fresh->fd, bytes, len, at, err) ||
            (x->is_manifest && !reckoning_manifest(x->reckoning, bytes, len, err)))
            return false;
        if (is_single)
            m->size_bytes += len;
        if (len)
            reckoning_data(x->reckoning, bytes, len, at,
                           !x->is_plain && !olv_archive_is_doubtful(x->archive));
    }
    return true;
}

static bool extract_file(struct extracting *x, int dir, const char *name, struct olv_member *m,
                         struct olv_error *err)
{
    struct fresh fresh;
    char placed[NAME_MAX + 1];
    bool ok;
    if (m->is_encrypted)
        return olv_fail(err, OLV_BROKEN, "it is encrypted");
    ok = fresh_open(&fresh, dir, x->label, err) && copy_data(x, &fresh, m, err) &&
         restore_file(&fresh, m, &x->restore, err) &&
         fresh_publish(&fresh, name, x->restore.if_exists, placed, err);
    fresh_close(&fresh);
    return ok;
}

/* A directory that existed before stays as it is. */
static bool extract_directory(struct extracting *x, int dir, const char *name, const struct olv_member *m,
                              struct olv_error *err)
{
    struct olv_stat stat;
    int fd;
    bool ok = olv_os_stat(dir, name, &stat);
    if (!ok && errno != ENOENT)
        return olv_fail_system(err, "", "cannot look at the directory");
    if (!ok) {
        fd = inside_make(&x->inside, dir, name, err);
        ok = fd >= 0 &&
             (olv_os_stat(fd, "", &stat) || olv_fail_system(err, "", "cannot look at the new directory"));
        olv_os_close(fd);
        if (!ok)
            return false;
    }
    if (stat.kind != OLV_KIND_DIRECTORY)
        return olv_fail(err, OLV_REFUSED, "a link or a file is where the directory should be");
    return !inside_has_made(&x->inside, &stat) ||
           directories_add(x->directories, olv_text_string(&x->path), &stat, m, err);
}

/* Only files that came out of this archive get other names, not files that existed before. */
static bool is_of_archive(const struct extracting *x, const struct olv_stat *stat, struct olv_error *err)
{
    return olv_instant_compare(stat->has_born ? stat->born : stat->changed, x->begun) >= 0 ||
           olv_fail(err, OLV_REFUSED, "it is another name of a file that existed before");
}

static bool link_other(struct extracting *x, const struct room *room, const char *other,
                       struct olv_error *err)
{
    const char *name;
    struct olv_stat meant;
    int from = inside_reach(&x->others, other, &name, err), fd;
    bool ok;
    if (from < 0)
        return false;
    fd = olv_os_open_file(from, name);
    ok = olv_os_stat(fd >= 0 ? fd : from, fd >= 0 ? "" : name, &meant) ||
         olv_fail_system(err, "", "cannot look at the other member");
    ok = ok && is_of_archive(x, &meant, err) && restore_hard_link(fd, from, name, &meant, room, err);
    olv_os_close(fd);
    return ok;
}

/* Neither a file nor a directory, or another name. */
static bool extract_special(struct extracting *x, int dir, const char *name, const struct olv_member *m,
                            struct olv_error *err)
{
    struct olv_text other = {0};
    struct room room;
    char placed[NAME_MAX + 1];
    bool ok = !m->is_hard_link || inside_clean(m->link, &other, err);
    if (ok && m->is_hard_link && other.len == 0)
        ok = olv_fail(err, OLV_BROKEN, "it is another name of a missing member");
    if (ok && room_open(&room, dir, x->label, err)) {
        ok = (m->is_hard_link ? link_other(x, &room, olv_text_string(&other), err)
                              : restore_special(&room, m, &x->restore, err)) &&
             restore_rename(&room, name, &x->restore, placed, err);
        if (!ok)
            room_clear(&room);
        if (!room_close(&room) && ok)
            ok = olv_fail_system(err, room.name, "cannot remove this directory, used for making it");
    } else {
        ok = false;
    }
    olv_text_free(&other);
    return ok;
}

static bool extract_member(struct extracting *x, struct olv_member *m, struct olv_error *err)
{
    const char *name;
    int dir;
    olv_text_clear(&x->path);
    if (!fresh_random_label(x->label, err) || !inside_clean(m->path, &x->path, err))
        return false;
    if (x->path.len == 0)
        return true; /* the directory itself */
    dir = inside_reach(&x->inside, olv_text_string(&x->path), &name, err);
    if (dir < 0)
        return false;
    if (m->kind == OLV_KIND_FILE && !m->is_hard_link)
        return extract_file(x, dir, name, m, err);
    if (m->kind == OLV_KIND_DIRECTORY && !m->is_hard_link)
        return extract_directory(x, dir, name, m, err);
    return extract_special(x, dir, name, m, err);
}

/* ---- damage, and the manifest ---- */

/* The member is lost. */
static bool extract_lose(struct extracting *x, const char *path, const struct olv_error *why,
                         struct olv_error *err)
{
    x->result->lost++;
    olv_observe_trouble(x->observer, (struct olv_trouble){OLV_TROUBLE_FAILED, path, why->what, why->sys});
    reckoning_begin(x->reckoning);
    return reckoning_note(x->reckoning, path, 0, err);
}

/* Continues after damage; `path`: of the current member, or NULL. */
static bool go_on(struct extracting *x, const char *path, struct olv_error *err)
{
    struct olv_error why = *err;
    char *at_hand;
    bool ok;
    if (err->code != OLV_BROKEN)
        return false;
    at_hand = strdup(path ? path : "");
    if (!at_hand)
        return olv_fail_memory(err);
    olv_error_clear(err);
    ok = olv_archive_go_on(x->archive, err);
    if (ok && x->damage.code == OLV_OK)
        x->damage = why;
    if (ok && path)
        ok = extract_lose(x, at_hand, &why, err);
    if (!ok && err->code == OLV_OK)
        *err = why;
    if (!ok && *at_hand)
        olv_error_at(err, at_hand);
    free(at_hand);
    return ok;
}

/* Reads the rest of the manifest. */
static bool reckon(struct extracting *x, struct olv_error *err)
{
    const uint8_t *bytes;
    size_t len = 1;
    uint64_t at;
    bool ok = true;
    while (ok && len)
        ok = olv_archive_data(x->archive, &bytes, &len, &at, err) &&
             reckoning_manifest(x->reckoning, bytes, len, err);
    reckoning_end(x->reckoning);
    return ok;
}

/* ---- all of them ---- */

/* False if the archive is damaged. */
static bool take_out(struct extracting *x, struct olv_member *m, struct olv_error *err)
{
    struct olv_error why = {0};
    uint64_t before = x->read;
    x->result->fitting++;
    if (extract_member(x, m, &why)) {
        x->result->done++;
        x->result->bytes += x->read - before;
        return true;
    }
    if (x->is_archive_broken) {
        *err = why;
        return false;
    }
    reckoning_begin(x->reckoning); /* the damaged part of it does not count */
    if (why.code != OLV_EXISTS || x->options->if_exists != OLV_SKIP)
        extract_tell(x, m->path, &why);
    return true;
}

static bool extract_take_member(struct extracting *x, struct olv_member *m, struct olv_error *err)
{
    reckoning_begin(x->reckoning);
    x->is_manifest = (x->is_plain || x->damage.code != OLV_OK) && strcmp(m->path, ARCHIVE_MANIFEST) == 0;
    if (olv_member_fits(&x->options->filter, m->path) && !take_out(x, m, err))
        return go_on(x, m->path, err);
    if (x->is_manifest)
        return reckon(x, err) || go_on(x, NULL, err);
    return reckoning_note(x->reckoning, m->path, m->size_bytes, err);
}

static bool extract_all(struct extracting *x, struct olv_error *err)
{
    struct olv_member m;
    bool ok = true;
    while (ok)
        if (!olv_archive_next(x->archive, &m, err)) {
            if (err->code == OLV_OK)
                break;
            ok = go_on(x, NULL, err);
        } else {
            ok = may_go_on(x, err) && extract_take_member(x, &m, err);
        }
    x->result->reached_end = ok;
    if (ok && x->damage.code != OLV_OK)
        *err = x->damage;
    return err->code == OLV_OK;
}

static bool look_at_clock(struct extracting *x, int top, struct olv_error *err)
{
    struct fresh first;
    struct olv_stat stat;
    bool ok;
    if (!fresh_random_label(x->label, err) || !fresh_open(&first, top, x->label, err))
        return false;
    ok = olv_os_stat(first.fd, "", &stat) || olv_fail_system(err, "", "cannot look at a new file");
    fresh_close(&first);
    x->begun = stat.has_born ? stat.born : stat.changed;
    return ok;
}

static bool sync_all(int top, struct olv_error *err)
{
    return olv_os_sync_all(top) || olv_fail_system(err, "", "cannot sync it");
}

bool olv_extract(struct olv_archive *archive, const struct olv_extract_options *options,
                 const struct olv_observer *observer, struct olv_extract_result *result,
                 struct olv_error *err)
{
    struct extracting x = {.archive = archive,
                           .options = options,
                           .observer = observer,
                           .result = result,
                           .is_plain = olv_archive_form(archive) == OLV_FORM_TAR &&
                                       olv_archive_codec(archive) == OLV_CODEC_NONE,
                           .directories = directories_new(err)};
    struct olv_error late = {0};
    int top = x.directories ? trusted_make_directory(options->into, err) : -1;
    struct reckoning_sink sink = {&x, on_missing};
    bool ok = top >= 0 && (x.reckoning = reckoning_new(&sink, err)) && look_at_clock(&x, top, err);
    *result = (struct olv_extract_result){0};
    x.restore =
        (struct restore_options){options->if_exists, options->keeps_owners, options->makes_devices, x.label};
    inside_begin(&x.inside, top, x.label);
    inside_begin(&x.others, top, NULL);
    olv_archive_watch(archive, may_go_on, &x);
    if (ok) {
        ok = extract_all(&x, err);
        if (!directories_finish(x.directories, top, &x.restore, on_directory_failed, &x, &late) ||
            !sync_all(top, &late)) {
            if (ok)
                *err = late;
            ok = false;
        }
    }
    olv_archive_watch(archive, NULL, NULL);
    olv_os_close(top);
    reckoning_free(x.reckoning);
    inside_end(&x.inside);
    inside_end(&x.others);
    olv_text_free(&x.path);
    directories_free(x.directories);
    return ok;
}
