/* SPDX-License-Identifier: Apache-2.0 */
/* A record is the entry, the kind, and two names with their lengths. One that is torn was not durable, so its
 * move was not made. */
#include "engine/moves.h"

#include "base/bytes.h"
#include "os/durable.h"

#include <errno.h>
#include <fcntl.h>
#include <string.h>
#include <unistd.h>

enum { HEAD = 8 + 1 + 1 + 1, LARGEST = 64 << 20 };
static const char NAME[] = "moves";

static bool moves_open(struct moves *m, int directory)
{
    m->end = 0;
    m->fd = openat(directory, NAME, O_WRONLY | O_CREAT | O_TRUNC | O_NOFOLLOW | O_CLOEXEC, 0600);
    return m->fd >= 0 && fsync(directory) == 0;
}

static bool write_at_end(struct moves *m, const uint8_t *record, size_t len)
{
    ssize_t put = pwrite(m->fd, record, len, (off_t)m->end);
    if (put != (ssize_t)len || fsync(m->fd) != 0)
        return false;
    m->end += len;
    return true;
}

bool moves_announce(struct moves *m, int directory, uint64_t entry, const struct announced_move *move,
                    struct olv_error *err)
{
    size_t from = strlen(move->from), to = strlen(move->to);
    uint8_t record[HEAD + 2 * NAME_MAX];
    bytes_put64(record, entry);
    record[8] = (uint8_t)move->half;
    record[9] = (uint8_t)from;
    record[10] = (uint8_t)to;
    memcpy(record + HEAD, move->from, from);
    memcpy(record + HEAD + from, move->to, to);
    if ((m->fd >= 0 || moves_open(m, directory)) && write_at_end(m, record, HEAD + from + to))
        return true;
    return olv_fail_system(err, NAME, "cannot note a move before it is made");
}

bool moves_read(int directory, struct olv_text *out, struct olv_error *err)
{
    olv_text_clear(out);
    if (olv_read_file(directory, NAME, LARGEST, out, err))
        return true;
    if (err->sys != ENOENT)
        return false;
    olv_error_clear(err);
    return true;
}

static void read_name(char out[NAME_MAX + 1], const uint8_t *from, size_t len)
{
    memcpy(out, from, len);
    out[len] = '\0';
}

enum olv_truth moves_find(const struct olv_text *read, uint64_t entry, struct announced_move *out)
{
    const uint8_t *at = (const uint8_t *)olv_text_string(read), *end = at + read->len;
    enum rename_half half = out->half;
    out->from[0] = out->to[0] = '\0';
    while (end - at >= HEAD && end - at >= HEAD + at[9] + at[10]) {
        if (bytes_get64(at) == entry && at[8] == half) {
            read_name(out->from, at + HEAD, at[9]);
            read_name(out->to, at + HEAD + at[9], at[10]);
        }
        at += HEAD + at[9] + at[10];
    }
    return *out->from && *out->to ? OLV_YES : OLV_NO;
}
