/* SPDX-License-Identifier: Apache-2.0 */
/* Records of 8 bytes, one per entry, in two halves for odd and even batches: the batch's number shifted by 8,
 * and the state of the entry. So records of earlier batches do not count. */
#include "engine/trace.h"

#include <fcntl.h>
#include <unistd.h>

enum { RECORD = 8 };

int trace_open(int directory, bool create)
{
    return openat(directory, "trace", O_RDWR | O_NOFOLLOW | O_CLOEXEC | (create ? O_CREAT : 0), 0600);
}

static off_t offset_of(uint64_t batch, uint32_t entry)
{
    return (off_t)(((batch % 2) * OLV_SEGMENT_MOST + entry) * RECORD);
}

void trace_put(int trace, uint64_t batch, uint32_t entry, enum olv_trace what)
{
    uint64_t record = batch << 8 | (uint64_t)what;
    ssize_t ignored = 0; /* without it, settling knows less */
    if (trace >= 0)
        ignored = pwrite(trace, &record, RECORD, offset_of(batch, entry));
    (void)ignored;
}

bool trace_sync(int trace)
{
    return trace >= 0 && fdatasync(trace) == 0;
}

enum olv_trace trace_get(int trace, uint64_t batch, uint32_t entry)
{
    uint64_t record = 0;
    if (trace < 0 || pread(trace, &record, RECORD, offset_of(batch, entry)) != RECORD || record >> 8 != batch)
        return OLV_TRACE_NONE;
    return (enum olv_trace)(record & 0xFF);
}
