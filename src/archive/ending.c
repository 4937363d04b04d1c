/* SPDX-License-Identifier: Apache-2.0 */
#include "archive/ending.h"

#include "os/os.h"
#include "os/reading.h"
#include "pack/tar.h"
#include "pack/zip_frame.h"

#include <fcntl.h>
#include <unistd.h>

static void describe_manifest(struct olv_member *out, uint64_t length)
{
    *out = (struct olv_member){.path = ARCHIVE_MANIFEST,
                               .link = "",
                               .kind = OLV_KIND_FILE,
                               .has_owner = true,
                               .mode = 0600,
                               .owner_name = "",
                               .group_name = "",
                               .size_bytes = length,
                               .modified = {olv_os_now().s, 0},
                               .acl = "",
                               .acl_default = ""};
}

struct ending {
    struct frames *frames;
    struct manifest *manifest;
    bool is_zip;
    struct frame_job *job;
};

static bool begin_manifest(struct ending *e, uint64_t length, struct olv_error *err)
{
    struct olv_member member;
    struct olv_text *plain;
    describe_manifest(&member, length);
    e->job = frames_next(e->frames, err);
    if (!e->job)
        return false;
    plain = &e->job->plain;
    tar_put_member(plain, &member);
    e->job->data_at = plain->len;
    return !plain->failed ? !e->is_zip || zip_put_local(&e->job->head, &member, plain->data, plain->len,
                                                        length > FRAME_BYTES, err)
                          : olv_fail_memory(err);
}

static bool put_manifest(struct ending *e, uint64_t length, struct olv_error *err)
{
    uint64_t at = 0;
    bool is_first = true;
    while (at < length) {
        size_t n = length - at < FRAME_BYTES ? (size_t)(length - at) : FRAME_BYTES;
        char *room = olv_text_room(&e->job->plain, n);
        if (!room)
            return olv_fail_memory(err);
        if (!manifest_read(e->manifest, room, n, at, err))
            return false;
        e->job->plain.len += n;
        at += n;
        frame_job_end(e->job, is_first, at == length);
        is_first = false;
        if (at == length)
            break;
        frames_give(e->frames, e->job);
        if (!(e->job = frames_next(e->frames, err)))
            return false;
    }
    return true;
}

bool ending_add(struct frames *frames, struct manifest *manifest, enum olv_codec codec,
                size_t *manifest_frame, struct olv_error *err)
{
    struct ending e = {frames, manifest, codec == OLV_CODEC_ZIP, NULL};
    uint64_t length;
    if (!manifest_close(manifest, frames_written(frames), err))
        return false;
    *manifest_frame = frames_written(frames)->count;
    length = manifest_length(manifest);
    if (!begin_manifest(&e, length, err) || !put_manifest(&e, length, err))
        return false;
    tar_put_padding(&e.job->plain, length);
    if (!e.is_zip) /* zip has its directory instead */
        tar_put_end(&e.job->plain);
    frames_give(frames, e.job);
    return frames_finish(frames, err);
}

bool ending_prove(int fd, const struct frames *frames, enum olv_codec codec, unsigned workers,
                  const struct frames_proof *proof, struct olv_error *err)
{
    struct pack_source source = {&fd, reading_source, frames_length(frames)};
    if (fsync(fd) != 0)
        return olv_fail_system(err, "", "cannot sync the archive");
    posix_fadvise(fd, 0, 0, POSIX_FADV_DONTNEED);
    return frames_prove(&source, codec, frames_written(frames), workers, proof, err);
}
