/* SPDX-License-Identifier: Apache-2.0 */
/* Reading the zip format (PKWARE's APPNOTE 6.3.x; ISO/IEC 21320-1 is a part of it): members stored or
 * deflated, each by itself, and a directory of them at the end; zip64. What one of ours says besides is
 * believed, too: everything that a tar header holds. */
#ifndef OLV_PACK_ZIP_H
#define OLV_PACK_ZIP_H

#include "olvido/member.h"
#include "pack/source.h"

struct zip_reader;
/* Finds the directory. Borrows the source. NULL with OLV_BROKEN where there is none. */
struct zip_reader *zip_reader_new(const struct pack_source *source, struct olv_error *err);
/* The next member of the directory. False at the end (err->code is OLV_OK), or with OLV_BROKEN. The member is
 * borrowed until the next call. */
bool zip_next(struct zip_reader *reader, struct olv_member *out, struct olv_error *err);
/* The next data of the member: `*len` bytes that belong at `*at` in the file; `*len` is 0 when there is no
 * more, and its checksum was right. */
bool zip_data(struct zip_reader *reader, const uint8_t **bytes, size_t *len, uint64_t *at,
              struct olv_error *err);
/* Where its directory begins. */
uint64_t zip_directory_at(const struct zip_reader *reader);
void zip_reader_free(struct zip_reader *reader);

#endif
