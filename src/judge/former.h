/* SPDX-License-Identifier: Apache-2.0 */
/* What a file was before Olvido's first act on it, by its note or by the register; its rule judges it as
 * that. */
#ifndef OLV_JUDGE_FORMER_H
#define OLV_JUDGE_FORMER_H

#include "file/origin.h"
#include "olvido/hold.h"

#include <pthread.h>

/* One thread at a time asks the register. If the register cannot be read, the whole judgement fails, because
 * nobody knows which steps were done. */
struct former_asking {
    pthread_mutex_t lock;
    struct olv_error error; /* the first failure */
};

struct former_file {
    const struct olv_notes *notes; /* NULL: no note counts */
    struct olv_register *reg;      /* NULL: there is none */
    struct former_asking *asking;
    int dir;
    const char *name;
    bool (*path)(const void *self, struct olv_text *out); /* appends the absolute path */
    const void *self;
    const struct olv_stat *stat; /* the present one */
};

struct former {
    bool is_known;
    struct origin origin;
    struct olv_stat stat; /* the former one */
};

/* Whether a file with such a name can have been something else: no other needs examining. */
bool former_is_likely(const char *name);
void former_find(struct former *former, const struct former_file *place);
/* Whether it has had that step. `former` may be NULL. */
bool former_has_had(const struct former *former, const struct former_file *place,
                    const struct olv_step *step);
/* What the register knows of what a file at this path was; OLV_NO also without a register (NULL). */
enum olv_truth former_recorded(struct olv_register *reg, const char *path, const struct olv_stat *stat,
                               struct origin *out, struct olv_error *err);

#endif
