/* SPDX-License-Identifier: Apache-2.0 */
/* How Olvido spells things in JSON (RFC 8259), in the ledger and for programs alike. A failed allocation
 * makes the object smaller, never wrong; writers check the result of the dump. */
#ifndef OLVIDO_JSON_H
#define OLVIDO_JSON_H

#include "olvido/calendar.h"
#include "olvido/text.h"

#include <jansson.h>

/* A name as it is: `key`, and `key`_b64 (RFC 4648) as well when it is not UTF-8 (then `key` has U+FFFD for
 * what is not). `key` has at most 40 bytes. */
void olv_json_name(json_t *object, const char *key, const char *bytes);
/* A number; as a string above 2^53, which not every reader of JSON can hold. */
void olv_json_number(json_t *object, const char *key, uint64_t number);
/* RFC 3339 with nanoseconds. */
void olv_json_instant(json_t *object, const char *key, struct olv_instant instant);
void olv_json_string(json_t *object, const char *key, const char *string);
/* The way back: reads what olv_json_name wrote; false when it is missing. */
bool olv_json_get_name(const json_t *object, const char *key, struct olv_text *out);
uint64_t olv_json_get_number(const json_t *object, const char *key);
/* Writing members straight into a text, for lines that are written by the million: building an object for
 * each takes some ten times as long. Each appends a comma unless it is the first behind a brace, the key, and
 * the value; names as olv_json_name does. The caller writes the braces. */
void olv_json_put_string(struct olv_text *out, const char *key, const char *string);
/* Of a string that is known to stand as it is: digits and the like. */
void olv_json_put_plain(struct olv_text *out, const char *key, const char *string);
void olv_json_put_name(struct olv_text *out, const char *key, const char *bytes);
void olv_json_put_number(struct olv_text *out, const char *key, uint64_t number);
void olv_json_put_instant(struct olv_text *out, const char *key, struct olv_instant instant);

/* Appends the object in one line, members in the order in which they were set. */
void olv_json_line(const json_t *object, struct olv_text *out);

#endif
