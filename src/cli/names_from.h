/* SPDX-License-Identifier: Apache-2.0 */
/* Names for which no command line has room. */
#ifndef OLV_CLI_NAMES_FROM_H
#define OLV_CLI_NAMES_FROM_H

#include "cli/cli.h"

/* The command's arguments, then the names in the file of --names-from. */
struct names {
    const char **items; /* owned */
    size_t count;
    struct olv_text file; /* what the last ones point into */
};

/* With a zero byte in the file zero bytes separate, else newlines; an empty name is an error. From then on
 * questions are answered at the controlling terminal. False after reporting and marking what is wrong; free
 * it in any case. */
bool names_read(struct cli *cli, struct names *out);
void names_free(struct names *names);

#endif
