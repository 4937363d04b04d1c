/* SPDX-License-Identifier: Apache-2.0 */
/* Reads every frame and the end of each archive, and compares them with their digests in the catalogue. A
 * damaged frame loses the members that begin in it or go through it; if only its compressed form was altered,
 * none. */
#include "olvido/depot_care.h"

#include "base/digest.h"
#include "depot/catalogue.h"
#include "depot/trust.h"
#include "depot/vault.h"
#include "olvido/path.h"
#include "os/os.h"
#include "os/reading.h"
#include "pack/frames.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

struct verifying {
    struct olv_catalogue *catalogue;
    const char *depot; /* NULL: all */
    void (*fault)(void *self, const struct olv_depot_fault *fault);
    void *self;
    const struct olv_observer *observer;
    struct olv_depot_report *report;
    struct olv_error error;
    const struct olv_stored_archive *archive; /* the current one */
    bool is_damaged;
    bool *bad; /* one per frame */
    uint64_t bytes_before;
    uint64_t of_archives, of_bytes; /* in all */
    char judged[65];                /* the depot last checked for other writers */
};

static void verify_tell(struct verifying *v, const char *what, const char *path)
{
    v->fault(v->self, &(struct olv_depot_fault){v->archive->depot, v->archive->name, what, path});
}

static void on_bad(void *self, size_t number, bool is_lost, const struct olv_error *why)
{
    struct verifying *v = self;
    char what[400];
    if (why->sys)
        snprintf(what, sizeof what, "%s: %s", why->what, strerror(why->sys));
    v->is_damaged = true;
    v->bad[number] = is_lost;
    verify_tell(v, why->sys ? what : why->what, "");
}

/* Counts contents only, not headers. */
static bool verify_on_progress(void *self, uint64_t plain_bytes)
{
    struct verifying *v = self;
    uint64_t bytes = plain_bytes < v->archive->bytes ? plain_bytes : v->archive->bytes;
    olv_observe_progress(v->observer, (struct olv_progress){.doing = "verifying",
                                                            .files = v->report->archives,
                                                            .bytes = v->bytes_before + bytes,
                                                            .of_files = v->of_archives,
                                                            .of_bytes = v->of_bytes});
    return !olv_observe_interrupted(v->observer);
}

struct losing {
    struct verifying *v;
    const struct frame_list *frames;
    int fd;
    struct vault *vault;
    struct olv_hasher *hasher;
};

static bool is_as_known(const struct olv_member *m, const struct olv_stored_file *f)
{
    return m->kind == f->kind && m->size_bytes == f->size_bytes && m->mode == f->mode &&
           olv_instant_compare(m->modified, f->modified) == 0 && strcmp(m->link, f->link) == 0;
}

static bool verify_digest(struct olv_hasher *hasher, struct tar_reader *tar, uint64_t size,
                          uint8_t out[OLV_SHA256_SIZE])
{
    struct olv_error ignored = {0};
    const uint8_t *bytes;
    size_t len = 1;
    uint64_t at;
    bool ok = true;
    olv_hasher_begin(hasher);
    while (ok && len && (ok = tar_data(tar, &bytes, &len, &at, &ignored)))
        if (len) {
            olv_hasher_fill(hasher, at);
            olv_hasher_add(hasher, bytes, len);
        }
    if (ok)
        olv_hasher_fill(hasher, size);
    olv_hasher_end(hasher, out);
    return ok;
}

/* Only without a codec can a part of a frame be read although another part is damaged. */
static bool is_intact(struct losing *l, const struct olv_stored_file *file)
{
    struct vault_position place = {l->fd, file->archive_id, file->codec, file->begins, file->within};
    struct olv_error ignored = {0};
    uint8_t is[OLV_SHA256_SIZE];
    struct olv_member member;
    struct tar_reader *tar =
        file->codec == OLV_CODEC_NONE ? vault_open(l->vault, &place, &member, &ignored) : NULL;
    return tar && is_as_known(&member, file) &&
           (!file->digest || (verify_digest(l->hasher, tar, member.size_bytes, is) &&
                              memcmp(is, file->digest, sizeof is) == 0));
}

static bool verify_lose(void *self, const struct olv_stored_file *file)
{
    struct losing *l = self;
    uint64_t left = file->within + file->size_bytes;
    size_t i = 0;
    bool is_lost;
    if (file->archive != l->v->archive->id)
        return true;
    while (i < l->frames->count && l->frames->items[i].at != file->begins)
        i++;
    is_lost = i == l->frames->count || l->v->bad[i];
    for (; !is_lost && i < l->frames->count && left > l->frames->items[i].plain_length; i++) {
        left -= l->frames->items[i].plain_length;
        is_lost = i + 1 < l->frames->count && l->v->bad[i + 1];
    }
    if (is_lost && !is_intact(l, file)) {
        l->v->report->lost_members++;
        verify_tell(l->v, "is lost", file->path);
    }
    return true;
}

/* Reports which files are lost. */
static bool tell_lost(struct verifying *v, int fd, const struct frame_list *frames, struct olv_error *err)
{
    struct losing l = {v, frames, fd, vault_new(), olv_hasher_new()};
    bool ok = l.vault && l.hasher
                  ? olv_catalogue_files(v->catalogue, OLV_STORED_BY_PATH, verify_lose, &l, err)
                  : olv_fail_memory(err);
    vault_free(l.vault);
    olv_hasher_free(l.hasher);
    return ok;
}

static bool verify_prove(struct verifying *v, int fd, const struct frame_list *frames, struct olv_error *err)
{
    struct olv_stat stat;
    struct pack_source source = {&fd, reading_source, 0};
    struct frames_proof proof = {v, on_bad, verify_on_progress};
    if (!olv_os_stat(fd, "", &stat))
        return olv_fail_system(err, v->archive->name, "cannot look at it");
    source.size = stat.size_bytes;
    if (stat.size_bytes != v->archive->length) {
        v->is_damaged = true;
        verify_tell(v,
                    stat.size_bytes < v->archive->length ? "it is shorter than it was"
                                                         : "it is longer than it was",
                    "");
    }
    if (!frames_prove(&source, v->archive->codec, frames, olv_os_cpus(), &proof, err) &&
        (err->code == OLV_INTERRUPTED || err->code == OLV_MEMORY))
        return false;
    olv_error_clear(err);
    v->report->damaged_archives += v->is_damaged;
    return !v->is_damaged || tell_lost(v, fd, frames, err);
}

static int open_archive(const struct olv_stored_archive *a)
{
    int dir = olv_os_open_path(a->depot_path), fd;
    if (dir < 0)
        return -1;
    fd = openat(dir, a->name, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC);
    close(dir);
    return fd;
}

static bool is_meant(const struct verifying *v, const struct olv_stored_archive *archive)
{
    return !v->depot || strcmp(v->depot, archive->depot) == 0;
}

static bool count_archive(void *self, const struct olv_stored_archive *archive)
{
    struct verifying *v = self;
    v->of_archives += is_meant(v, archive);
    v->of_bytes += is_meant(v, archive) ? archive->bytes : 0;
    return true;
}

/* Once per depot. */
static void judge_depot(struct verifying *v)
{
    struct olv_error why = {0};
    int fd;
    if (strcmp(v->judged, v->archive->depot) == 0)
        return;
    snprintf(v->judged, sizeof v->judged, "%s", v->archive->depot);
    fd = depot_open_trusted(v->archive->depot_path, &why);
    olv_os_close(fd);
    depot_warn(v->observer, &why, "verifying finds damage, but not forgery");
}

/* A missing archive is a fault of the depot; one that cannot be opened this time was not verified. */
static void verify_unopened(struct verifying *v, int sys)
{
    struct olv_text path = {0};
    if (olv_os_is_absent(sys)) {
        v->report->missing_archives++;
        v->report->missing_members += v->archive->members;
        verify_tell(v, sys == ELOOP ? "a link is in its place" : "it is missing", "");
        return;
    }
    v->report->unread_archives++;
    olv_path_add(&path, v->archive->depot_path, v->archive->name);
    olv_observe_unreadable(v->observer, olv_text_string(&path), "the archive cannot be opened", sys);
    olv_text_free(&path);
}

static bool verify_archive(void *self, const struct olv_stored_archive *archive)
{
    struct verifying *v = self;
    struct frame_list frames = {0};
    int fd;
    bool ok = true;
    if (!is_meant(v, archive))
        return true;
    v->archive = archive;
    judge_depot(v);
    v->is_damaged = false;
    v->report->archives++;
    v->report->members += archive->members;
    fd = open_archive(archive);
    if (fd < 0) {
        verify_unopened(v, errno);
        return true;
    }
    ok = catalogue_frames(v->catalogue, archive->id, &frames, &v->error);
    v->bad = ok ? calloc(frames.count + 1, sizeof *v->bad) : NULL;
    ok = ok && (v->bad || olv_fail_memory(&v->error)) && verify_prove(v, fd, &frames, &v->error);
    v->report->bytes += archive->length;
    v->bytes_before += archive->bytes;
    free(v->bad);
    frame_list_free(&frames);
    close(fd);
    return ok;
}

bool olv_depot_verify(struct olv_catalogue *catalogue, const char *depot,
                      void (*fault)(void *self, const struct olv_depot_fault *fault), void *self,
                      const struct olv_observer *observer, struct olv_depot_report *report,
                      struct olv_error *err)
{
    struct verifying v = {.catalogue = catalogue,
                          .depot = depot,
                          .fault = fault,
                          .self = self,
                          .observer = observer,
                          .report = report};
    bool is_sound;
    *report = (struct olv_depot_report){0};
    if (!catalogue_check(catalogue, &is_sound, err))
        return false;
    if (!is_sound) {
        olv_fail(err, OLV_STATE, "the catalogue is damaged");
        return olv_error_hint(err, "`olvido depot rebuild` rebuilds it from the archives");
    }
    if (!olv_catalogue_archives(catalogue, count_archive, &v, err) ||
        !olv_catalogue_archives(catalogue, verify_archive, &v, err))
        return false;
    *err = v.error;
    return err->code == OLV_OK;
}
