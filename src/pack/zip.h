/* SPDX-License-Identifier: Apache-2.0 */
/* Reads the zip format (PKWARE's APPNOTE 6.3.x; ISO/IEC 21320-1 is a subset): members stored or deflated one
 * by one, and a directory of them at the end; zip64. Also reads what our archives add: everything in a tar
 * header. */
#ifndef OLV_PACK_ZIP_H
#define OLV_PACK_ZIP_H

#include "olvido/member.h"
#include "pack/source.h"

struct zip_reader;
/* Finds the directory. Borrows the source. NULL with OLV_BROKEN if there is none. */
struct zip_reader *zip_reader_new(const struct pack_source *source, struct olv_error *err);
/* The next member of the directory. False at the end (err->code is OLV_OK), or with OLV_BROKEN. The member is
 * valid until the next call. */
bool zip_next(struct zip_reader *reader, struct olv_member *out, struct olv_error *err);
/* The member's next data: `*len` bytes at offset `*at` of the file; `*len` is 0 at the end, after its
 * checksum matched. */
bool zip_data(struct zip_reader *reader, const uint8_t **bytes, size_t *len, uint64_t *at,
              struct olv_error *err);
/* Where its directory begins. */
uint64_t zip_directory_at(const struct zip_reader *reader);
void zip_reader_free(struct zip_reader *reader);

#endif
