/* SPDX-License-Identifier: Apache-2.0 */
/* What a file was before Olvido's first act on it, by the note on it or by the register; its rule judges it
 * as that. */
#ifndef OLV_JUDGE_FORMER_H
#define OLV_JUDGE_FORMER_H

#include "file/origin.h"
#include "olvido/hold.h"

#include <pthread.h>

/* One at a time asks the register. What it cannot tell is not known of the whole judgement, for nobody knows
 * then which step a file has had. */
struct former_asking {
    pthread_mutex_t lock;
    struct olv_error error; /* of the first that could not be told */
};

struct former_file {
    const struct olv_notes *notes; /* NULL: none counts */
    struct olv_register *reg;      /* NULL: there is none */
    struct former_asking *asking;
    int dir;
    const char *name;
    bool (*path)(const void *self, struct olv_text *out); /* appends the absolute path */
    const void *self;
    const struct olv_stat *stat; /* as it is */
};

struct former {
    bool is_known;
    struct origin origin;
    struct olv_stat stat; /* as it was */
};

/* Whether a file with such a name can have been something else: no other needs to be looked at. */
bool former_is_likely(const char *name);
void former_find(struct former *former, const struct former_file *place);
/* Whether it has had that step. */
bool former_has_had(const struct former *former, const struct former_file *place, const struct olv_act *act);

#endif
