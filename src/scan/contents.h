/* SPDX-License-Identifier: Apache-2.0 */
/* What is in a directory, summed up: so that it is known again. */
#ifndef OLV_SCAN_CONTENTS_H
#define OLV_SCAN_CONTENTS_H

#include "olvido/docket.h"

/* Adds one entry to the sum. */
void olv_contents_add(struct olv_contents *contents, const struct olv_stat *stat);
void olv_contents_merge(struct olv_contents *to, const struct olv_contents *from);
/* Walks the directory. False when something in it could not be looked at, or lies on another mount. */
bool olv_scan_contents(const char *path, struct olv_contents *out, struct olv_error *err);

#endif
