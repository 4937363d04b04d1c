/* SPDX-License-Identifier: Apache-2.0 */
/* Where in an archive a file is, in the bytes of a docket. */
#ifndef OLV_DOCKET_LOCATION_H
#define OLV_DOCKET_LOCATION_H

#include "base/wire.h"
#include "olvido/docket.h"

void location_put(struct olv_text *out, const struct olv_location *location);
void location_get(struct wire *wire, struct olv_location *location);

#endif
