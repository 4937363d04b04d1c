/* SPDX-License-Identifier: Apache-2.0 */
/* Patterns that are typed: what a word means depends on what it is a pattern of. */
#ifndef OLV_CLI_PATTERNS_H
#define OLV_CLI_PATTERNS_H

#include "cli/cli.h"
#include "olvido/pattern.h"

struct patterns {
    struct olv_pattern **items; /* owned */
    size_t count;
};

enum patterns_of {
    PATTERNS_ANYWHERE, /* paths; one without a slash fits a name in any directory */
    PATTERNS_HERE,     /* paths; one without a slash fits a name in the working directory */
    PATTERNS_AS_TYPED, /* of --matching */
    PATTERNS_INSIDE    /* paths in an archive, which begin at its top; else as anywhere */
};

/* False after reporting and marking what is wrong. Free it in any case. */
bool patterns_read(struct cli *cli, enum patterns_of of, const char *const *words, size_t count,
                   struct patterns *out);
/* The pattern that fits only this path. */
bool patterns_of_path(struct cli *cli, const char *path, struct patterns *out);
void patterns_free(struct patterns *patterns);

/* Makes a path, or a pattern of one, absolute; "." and ".." are resolved by name only, because the file may
 * be gone. The caller frees it; NULL after reporting and marking why. */
char *patterns_absolute(struct cli *cli, const char *word, bool is_pattern);

#endif
