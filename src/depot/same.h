/* SPDX-License-Identifier: Apache-2.0 */
/* Which archive a file is: names are used again, and catalogues are restored from copies. */
#ifndef OLV_DEPOT_SAME_H
#define OLV_DEPOT_SAME_H

#include "depot/catalogue.h"

/* Whether the open file is the archive that the catalogue has in this row (in any state), by its length, the
 * id in its manifest, and the manifest's digest. False with OLV_BROKEN if it is another one, or cannot be
 * compared. */
bool same_archive(struct olv_catalogue *catalogue, int64_t row, int fd, struct olv_error *err);

#endif
