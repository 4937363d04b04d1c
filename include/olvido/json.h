/* SPDX-License-Identifier: Apache-2.0 */
/* How Olvido spells things in JSON (RFC 8259), in the ledger and for programs. A failed allocation makes the
 * object smaller, never wrong; writers check the dump. */
#ifndef OLVIDO_JSON_H
#define OLVIDO_JSON_H

#include "olvido/calendar.h"
#include "olvido/text.h"

#include <jansson.h>

/* A name: `key`, and also `key`_b64 (RFC 4648) if it is not UTF-8 (then `key` has U+FFFD in place of the bad
 * bytes). `key` has at most 40 bytes. */
void olv_json_name(json_t *object, const char *key, const char *bytes);
/* A number; above 2^53 as a string, because not every JSON reader can hold it. */
void olv_json_number(json_t *object, const char *key, uint64_t number);
/* RFC 3339 with nanoseconds. */
void olv_json_instant(json_t *object, const char *key, struct olv_instant instant);
void olv_json_string(json_t *object, const char *key, const char *string);
/* Reads what olv_json_name wrote; false if it is missing. */
bool olv_json_get_name(const json_t *object, const char *key, struct olv_text *out);
uint64_t olv_json_get_number(const json_t *object, const char *key);
/* Write members straight into a text, for lines written by the million: building an object for each takes
 * about ten times as long. Each appends a comma (unless it comes right after a brace), the key and the value;
 * names as olv_json_name does. The caller writes the braces. */
void olv_json_put_string(struct olv_text *out, const char *key, const char *string);
/* For a string that needs no escaping, such as digits. */
void olv_json_put_plain(struct olv_text *out, const char *key, const char *string);
void olv_json_put_name(struct olv_text *out, const char *key, const char *bytes);
void olv_json_put_number(struct olv_text *out, const char *key, uint64_t number);
void olv_json_put_instant(struct olv_text *out, const char *key, struct olv_instant instant);

/* Appends the object in one line, with members in the order they were set. */
void olv_json_line(const json_t *object, struct olv_text *out);

#endif
