/* SPDX-License-Identifier: Apache-2.0 */
/* What statements are about: a file, whose costly facts are fetched only on demand. */
#ifndef OLVIDO_SUBJECT_H
#define OLVIDO_SUBJECT_H

#include "olvido/entry.h"
#include "olvido/policy.h"

#include <stddef.h>

struct olv_subject {
    const char *name; /* raw bytes, not NUL-terminated */
    size_t name_len;
    enum olv_kind kind;
    uint32_t depth;              /* 1 directly in `under` */
    size_t path_skip;            /* how much of the walk's path is above `under`; for `facts->path` */
    const struct olv_stat *stat; /* NULL until looked at */
    const struct olv_subject_facts *facts;
};

struct olv_subject_facts {
    const struct olv_stat *(*look)(
        struct olv_subject *subject); /* sets and returns `stat`; NULL on failure */
    const char *(*path)(struct olv_subject *subject,
                        size_t *len);                       /* below `under`; borrowed; NULL without memory */
    enum olv_truth (*is_open)(struct olv_subject *subject); /* for writing, by anybody */
    enum olv_truth (*is_empty)(struct olv_subject *subject);
    enum olv_truth (*is_held)(
        struct olv_subject *subject);                /* by a hold; NULL: there is no register of holds */
    bool (*in_respite)(struct olv_subject *subject); /* recovered recently; NULL: never */
    bool (*has_had)(struct olv_subject *subject,
                    const struct olv_step *step); /* had that step already; NULL: none */
    /* For deciding about many: cheaply known to be open for writing. NULL: not asked. */
    bool (*is_in_use)(struct olv_subject *subject);
    /* Its ctime, before what our own acts changed of its attributes; NULL: as `stat` says. */
    struct olv_instant (*changed)(struct olv_subject *subject);
};

#endif
