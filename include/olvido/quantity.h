/* SPDX-License-Identifier: Apache-2.0 */
/* Sizes in bytes as people write them: "512", "10 MiB" (binary, IEC 80000-13), "1.5 GB" (decimal). */
#ifndef OLVIDO_QUANTITY_H
#define OLVIDO_QUANTITY_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* Parses all `len` bytes. On failure: false, and `*at` is the offset of the first byte that does not fit. */
bool olv_size_parse(const char *text, size_t len, uint64_t *out, size_t *at);

enum { OLV_SIZE_TEXT = 16 };
/* "0 B", "812 B", "12.4 GiB"; returns `buffer`. */
char *olv_size_format(uint64_t size_bytes, char buffer[OLV_SIZE_TEXT]);

#endif
