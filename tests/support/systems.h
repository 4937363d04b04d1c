/* SPDX-License-Identifier: Apache-2.0 */
/* Stories on real file systems, each on an image of its own. */
#ifndef TESTS_SYSTEMS_H
#define TESTS_SYSTEMS_H

#include "support/command.h"

#include <unistd.h>

/* Runs the story in a fresh file system of this type: ext4, xfs, btrfs, tmpfs or overlay. `$top` is the
 * sandbox, `fail TEXT` ends it, `status N COMMAND…` wants this exit status, `says TEXT` looks into what that
 * printed. As root a missing one fails. */
void on_system(const struct sandbox *s, const char *type, const char *story);
/* For cmocka, after sandbox_setup. */
int systems_teardown(void **state);

#endif
