/* SPDX-License-Identifier: Apache-2.0 */
#ifndef OLV_DEMO_PLACE_H
#define OLV_DEMO_PLACE_H

#include "olvido/error.h"

/* Opens a directory for sample data: a new one, or an empty one. -1 with `err`. */
int demo_open_place(const char *path, struct olv_error *err);

#endif
