/* SPDX-License-Identifier: Apache-2.0 */
#ifndef OLV_DEMO_PLACE_H
#define OLV_DEMO_PLACE_H

#include "olvido/error.h"

#include <limits.h>

/* Opens a new or empty directory for sample data; `real` gets its path without links. -1 with `err`. */
int demo_open_place(const char *path, char real[PATH_MAX], struct olv_error *err);

#endif
