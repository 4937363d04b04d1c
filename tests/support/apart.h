/* SPDX-License-Identifier: Apache-2.0 */
/* Tests run as their user, who may have items in a trash: those must be out of reach. */
#ifndef TESTS_APART_H
#define TESTS_APART_H

/* Once per program, before anything else. As root: covers the trash of every mount with an empty one, in a
 * mount namespace of its own, which ends with the program. Otherwise the program ends as skipped, and says
 * so, if such a trash is not empty. */
void stand_apart(void);

#endif
