/* SPDX-License-Identifier: Apache-2.0 */
/* Sample data: the made-up Faro Norte tide observatory, with files of eight years and a policy for them. */
#ifndef OLVIDO_DEMO_H
#define OLVIDO_DEMO_H

#include "olvido/calendar.h"
#include "olvido/error.h"

struct olv_demo {
    uint64_t files, directories, bytes;
};

/* Writes it into `path`, which must not exist yet or be an empty directory. Times are set relative to `now`.
 */
bool olv_demo_write(const char *path, struct olv_instant now, struct olv_demo *demo, struct olv_error *err);

#endif
