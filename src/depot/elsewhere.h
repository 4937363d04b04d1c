/* SPDX-License-Identifier: Apache-2.0 */
/* Whether an archive that was cut short holds anything that is nowhere else. */
#ifndef OLV_DEPOT_ELSEWHERE_H
#define OLV_DEPOT_ELSEWHERE_H

#include "depot/catalogue.h"

/* Whether each member of this row (in any state) stands at its path unchanged, by kind, size and
 * modification, or in a live archive of the catalogue that is there and was compared. What cannot be looked
 * at counts as not there. False with `err` if the catalogue cannot be read. */
bool elsewhere_are_all(struct olv_catalogue *catalogue, int64_t row, bool *all, struct olv_error *err);

#endif
