/* SPDX-License-Identifier: Apache-2.0 */
/* Tests act as their user, who may have things in a trash: those must be out of reach. */
#ifndef TESTS_APART_H
#define TESTS_APART_H

/* Once for each program, before it does anything. As root: in a mount namespace of its own the trash of every
 * mount is covered by an empty one, and mounts that tests make go with the program. Otherwise the program
 * ends as skipped, and says so, where such a trash is not empty. */
void stand_apart(void);

#endif
