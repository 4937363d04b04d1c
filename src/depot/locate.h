/* SPDX-License-Identifier: Apache-2.0 */
/* Where a depot's file is in its archive, in the form of a docket. */
#ifndef OLV_DEPOT_LOCATE_H
#define OLV_DEPOT_LOCATE_H

#include "base/digest.h"
#include "olvido/depot.h"
#include "olvido/docket.h"

/* Of its contents; for a hard link, of the member that has them. */
struct olv_location locate_contents(const struct olv_stored_file *file, struct olv_hasher *hasher);
/* Of the member itself, to remove it. */
struct olv_location locate_member(const struct olv_stored_file *file, struct olv_hasher *hasher);
/* Whether a member of this path is the right one. */
bool locate_is_it(const struct olv_location *location, const char *member_path, struct olv_hasher *hasher);

#endif
