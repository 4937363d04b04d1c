/* SPDX-License-Identifier: Apache-2.0 */
/* An archive is named after the rule and its period or directory: "gauge-readings-2025-11.tar.zst". */
#include "act/archive_make.h"

#include "base/digest.h"

#include <stdio.h>
#include <string.h>

enum { LONGEST_NAME = 200, SHORT_DIGEST = 8 };

/* Replaces what is awkward in a file name by hyphens. */
static void put_plain(struct olv_text *out, const char *text)
{
    for (; *text; text++) {
        bool is_plain = (unsigned char)*text > ' ' && *text != '/' && *text != 0x7f;
        olv_text_add(out, is_plain ? text : "-", 1);
    }
}

/* A name that is too long is cut and ends with a part of its digest, so that two such names stay different.
 */
static void shorten(struct olv_text *name)
{
    uint8_t digest[OLV_SHA256_SIZE];
    char hex[OLV_HEX_SIZE];
    struct olv_hasher *hasher;
    if (name->failed || name->len <= LONGEST_NAME)
        return;
    hasher = olv_hasher_new();
    name->failed |= !hasher;
    if (!hasher)
        return;
    olv_sha256(hasher, name->data, name->len, digest);
    olv_hasher_free(hasher);
    olv_hex(digest, OLV_SHA256_SIZE, hex);
    name->len = LONGEST_NAME - SHORT_DIGEST - 1;
    name->data[name->len] = '\0';
    olv_text_printf(name, "-%.*s", SHORT_DIGEST, hex);
}

static void put_period(struct olv_text *out, const struct fitting *f, int one_per)
{
    bool is_of_run = one_per == PER_RUN;
    struct olv_date d = olv_zone_date(f->policy->zone, (is_of_run ? f->now : f->clock).s);
    olv_text_printf(out, "%04lld", (long long)d.year);
    if (one_per != PER_YEAR)
        olv_text_printf(out, "-%02d", d.month);
    if (is_of_run || one_per == PER_DAY)
        olv_text_printf(out, "-%02d", d.day);
}

static void put_name(struct olv_text *out, const struct fitting *f, int one_per)
{
    put_plain(out, f->rule->name);
    olv_text_puts(out, "-");
    if (one_per != PER_DIRECTORY)
        put_period(out, f, one_per);
    else
        put_plain(out, *f->below ? f->below : "top");
    shorten(out);
}

bool archive_fit(const struct fitting *f, void *arguments)
{
    struct archive_arguments *how = arguments;
    const struct olv_depot *depot = olv_depot_named(f->policy, how->depot);
    struct olv_text *name = &f->scratch[0], *path = &f->scratch[1];
    if (!depot)
        return false;
    put_name(name, f, how->one_per);
    olv_text_printf(path, "%s/%s.%s", depot->path, olv_text_string(name),
                    olv_pack_word((enum olv_codec)how->codec));
    how->into = olv_text_string(path);
    how->clock = f->rule->clock;
    return !name->failed && !path->failed;
}
