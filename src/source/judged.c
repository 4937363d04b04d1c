/* SPDX-License-Identifier: Apache-2.0 */
/* Shared by the hooks of acts and places: what is acted on is what was judged. */
#include "source/judged.h"

#include "base/bytes.h"

#include "file/identity.h"
#include "file/touched.h"
#include "os/files.h"
#include "os/os.h"
#include "scan/contents.h"
#include "source/asking.h"

#include <errno.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

/* It is gone; or it cannot be opened this time, which is a failure. */
static void why_no_trash(const char *files, struct olv_error *err)
{
    int fd = olv_os_open_path(files);
    if (fd >= 0 || !olv_os_is_absent(errno))
        olv_fail_system(err, files, "cannot open its trash");
    else
        olv_fail(err, OLV_CHANGED, "its trash is gone");
    olv_os_close(fd);
}

struct olv_trash *judged_trash_of_item(struct turn *turn, const struct olv_docket_entry *entry,
                                       struct olv_error *err)
{
    struct olv_trash *trash = olv_trashes_of_files(turn->session->trashes, entry->directory);
    if (!trash) {
        olv_trashes_find(turn->session->trashes, NULL);
        trash = olv_trashes_of_files(turn->session->trashes, entry->directory);
    }
    if (!trash)
        why_no_trash(entry->directory, err);
    return trash;
}

bool judged_verify_contents(const struct turn *turn, int dir, const char *name, bool asks,
                            const struct olv_docket_entry *entry, struct olv_outcome *outcome)
{
    const struct olv_contents *judged = &entry->contents;
    struct olv_contents now = {0};
    bool ok;
    if (entry->identity.kind != OLV_KIND_DIRECTORY)
        return true;
    ok = asks ? ask_about_contents(turn, dir, name, entry, &now, &outcome->error)
              : olv_scan_contents(dir, name, NULL, &now, &outcome->error);
    if (ok && entry->is_emptied && now.entries)
        ok = olv_fail(&outcome->error, OLV_CHANGED, "it is not empty, so it stays");
    else if (ok && (now.entries != judged->entries || now.files != judged->files ||
                    now.bytes != judged->bytes || olv_instant_compare(now.youngest, judged->youngest) != 0))
        ok = olv_fail(&outcome->error, OLV_CHANGED, "something in it changed since it was judged");
    if (!ok)
        outcome_failed(outcome);
    if (!ok && outcome->error.code == OLV_REFUSED)
        outcome->result = OLV_LEFT;
    return ok;
}

bool judged_has_twins(const struct olv_docket_entry *e)
{
    return e->links > 1 && e->identity.kind != OLV_KIND_DIRECTORY;
}

bool judged_verify(int dir, const char *name, const struct olv_docket_entry *entry, bool with_changed,
                   struct olv_outcome *outcome)
{
    struct olv_error *err = &outcome->error;
    struct olv_stat stat;
    if (!olv_os_stat(dir, name, &stat)) {
        bool is_gone = errno == ENOENT;
        olv_fail_system(err, name, is_gone ? "it is gone" : "looking at it again");
        if (is_gone)
            olv_error_as(err, OLV_CHANGED);
    } else if (entry->is_emptied
                   ? !olv_identity_is(&entry->identity, &stat) || stat.kind != OLV_KIND_DIRECTORY
                   : !olv_identity_holds(&entry->identity, &stat, with_changed)) {
        olv_fail(err, OLV_CHANGED, "it changed since it was judged");
    } else {
        return true;
    }
    outcome_failed(outcome);
    return false;
}

int judged_open(const struct olv_reach *at, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    int fd = e->identity.kind == OLV_KIND_DIRECTORY ? olv_os_open_dir(at->fd, e->name, true)
                                                    : olv_os_open_file(at->fd, e->name);
    if (fd < 0) {
        olv_fail_system(&o->error, e->name, "cannot open it");
        if (o->error.sys == ENOENT)
            olv_error_as(&o->error, OLV_CHANGED);
        outcome_failed(o);
    } else if (!judged_verify(fd, "", e, true, o)) {
        olv_os_close(fd);
        fd = -1;
    }
    return fd;
}

bool judged_changed(const struct turn *turn, int fd, struct olv_error *err)
{
    if (turn->run.is_small)
        return fsync(fd) == 0 || olv_fail_system(err, "", "cannot sync what was changed");
    return touched_add_system(turn->run.touched, fd, turn->directory.device, err);
}

/* ---- names until a file is complete ---- */

static void label_of(char out[FRESH_LABEL], const struct turn *turn, uint64_t sequence, char what)
{
    enum { LETTERS = 20 };
    uint8_t bytes[OLV_SALT + 8 + 1], digest[OLV_SHA256_SIZE];
    memcpy(bytes, turn->run.salt, OLV_SALT);
    bytes_put64(bytes + OLV_SALT, sequence);
    bytes[OLV_SALT + 8] = (uint8_t)what;
    olv_sha256_once(bytes, sizeof bytes, digest);
    olv_hex(digest, LETTERS / 2, out);
}

void group_fail(const struct group *g, const struct olv_error *why)
{
    for (size_t i = 0; i < g->count; i++)
        if (g->outcomes[i].result == OLV_PENDING) {
            g->outcomes[i].error = *why;
            outcome_failed(&g->outcomes[i]);
        }
}

void turn_label(char out[FRESH_LABEL], const struct turn *turn, uint64_t sequence)
{
    label_of(out, turn, sequence, 'E');
}

void turn_room_label(char out[FRESH_LABEL], const struct turn *turn, const struct olv_docket_entry *e)
{
    label_of(out, turn, e->at.inode, 'R');
}

void turn_archive_label(char out[FRESH_LABEL], const struct turn *turn, uint64_t sequence)
{
    label_of(out, turn, sequence, 'A');
}
