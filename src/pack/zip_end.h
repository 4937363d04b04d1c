/* SPDX-License-Identifier: Apache-2.0 */
/* Where the directory of a zip archive is, by the records at its end. */
#ifndef OLV_PACK_ZIP_END_H
#define OLV_PACK_ZIP_END_H

#include "pack/source.h"

struct zip_end {
    uint64_t begin, end; /* of the directory, in the file */
    uint64_t members;
    uint64_t shift; /* bytes before the archive, which its own offsets do not count */
};

/* False with OLV_BROKEN where there is none. */
bool zip_find_end(const struct pack_source *source, struct zip_end *out, struct olv_error *err);

#endif
