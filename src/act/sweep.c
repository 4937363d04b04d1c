/* SPDX-License-Identifier: Apache-2.0 */
/* sweep: removes an empty directory; what it takes to make it again is in its docket entry. */
#include "act/sweep.h"

#include "act/acts.h"
#include "file/remaking.h"
#include "olvido/ledger.h"
#include "os/os.h"
#include "source/ending.h"

#include <string.h>

/* In the place of what it takes to make it again. */
static const char UNKNOWN[] = "", TOO_LONG[] = "-";

/* One that cannot be noted says so in its turn. */
static bool fit_arguments(const struct fitting *fitting, void *arguments)
{
    struct sweep_arguments *how = arguments;
    struct olv_text *state = &fitting->scratch[0];
    struct olv_error err = {0};
    struct olv_stat stat;
    int fd = olv_os_open_dir(fitting->dir, fitting->name, true);
    bool is_noted = fd >= 0 && olv_os_stat(fd, "", &stat) && remaking_note(fd, &stat, state, &err);
    olv_os_close(fd);
    how->state = is_noted ? olv_text_string(state) : err.code == OLV_REFUSED ? TOO_LONG : UNKNOWN;
    return !state->failed;
}

static void apply(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    const struct sweep_arguments *how = e->arguments;
    if (strcmp(how->state, TOO_LONG) == 0) {
        olv_fail(&o->error, OLV_REFUSED, "its attributes are longer than any record keeps");
        o->result = OLV_LEFT;
    } else if (strcmp(how->state, UNKNOWN) == 0) {
        olv_fail(&o->error, OLV_SYSTEM, "cannot find out what it takes to make it again");
        o->result = OLV_FAILED;
    } else if (ending_end(turn, &turn->directory, e, o)) {
        o->result = OLV_DONE;
    }
}

static bool inverse(const struct olv_ledger_record *done, struct olv_inverse *out)
{
    *out = (struct olv_inverse){.act = &act_remake, .path = done->path, .original = "", .makes_it = true};
    return *done->path;
}

static const struct hooks hooks = {.needs = NEEDS_NOTE,
                                   .fit_arguments = fit_arguments,
                                   .takes_several = true,
                                   .goes_beside = true,
                                   .apply = apply,
                                   .applied = ending_applied};

static const struct olv_key keys[] = {{.name = "state",
                                       .type = OLV_KEY_TEXT,
                                       .at = offsetof(struct sweep_arguments, state),
                                       .by = OLV_BY_NOBODY},
                                      {0}};

const struct olv_act act_sweep = {.word = "sweep",
                                  .past = "swept",
                                  .wire = 10,
                                  .traits = OLV_TOUCHES | OLV_LIMITED | OLV_EMPTY_ONLY,
                                  .destination = OLV_TO_NOWHERE,
                                  .order = OLV_BOTTOM_UP,
                                  .keys = keys,
                                  .arguments = sizeof(struct sweep_arguments),
                                  .inverse = inverse,
                                  .hooks = &hooks};
