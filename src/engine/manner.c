/* SPDX-License-Identifier: Apache-2.0 */
/* An archive is named after the rule and its period or directory: "gauge-readings-2025-11.tar.zst". */
#include "engine/plan_parts.h"

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

static void put_period(struct olv_text *out, const struct manner_facts *f)
{
    bool is_of_run = f->step->one_per == OLV_PER_RUN;
    struct olv_date d = olv_zone_date(f->policy->zone, (is_of_run ? f->now : f->clock).s);
    olv_text_printf(out, "%04lld", (long long)d.year);
    if (f->step->one_per != OLV_PER_YEAR)
        olv_text_printf(out, "-%02d", d.month);
    if (is_of_run || f->step->one_per == OLV_PER_DAY)
        olv_text_printf(out, "-%02d", d.day);
}

static void manner_put_name(struct olv_text *out, const struct manner_facts *f)
{
    put_plain(out, f->rule->name);
    olv_text_puts(out, "-");
    if (f->step->one_per != OLV_PER_DIRECTORY)
        put_period(out, f);
    else
        put_plain(out, *f->below ? f->below : "top");
    shorten(out);
}

static bool is_asked_again(const struct manner *m, const struct manner_facts *f)
{
    return m->step == f->step && m->last_name.len == m->name.len &&
           (m->name.len == 0 || memcmp(m->last_name.data, m->name.data, m->name.len) == 0);
}

static void manner_remember(struct manner *m, const struct manner_facts *f)
{
    m->step = f->step;
    olv_text_clear(&m->last_name);
    olv_text_add(&m->last_name, olv_text_string(&m->name), m->name.len);
}

const struct olv_manner *manner_of(struct manner *m, const struct manner_facts *f)
{
    const struct olv_step *step = f->step;
    olv_text_clear(&m->name);
    if (step->depot)
        manner_put_name(&m->name, f);
    if (is_asked_again(m, f))
        return &m->manner;
    manner_remember(m, f);
    m->manner = (struct olv_manner){.codec = step->codec, .level = step->level, .text = step->text};
    if (step->depot) {
        olv_text_clear(&m->path);
        olv_text_printf(&m->path, "%s/%s.%s", step->depot->path, olv_text_string(&m->name),
                        olv_pack_word(step->codec));
        m->manner.into = olv_text_string(&m->path);
        m->manner.depot = step->depot->name;
        m->manner.clock = f->rule->clock;
    }
    return m->name.failed || m->last_name.failed || m->path.failed ? NULL : &m->manner;
}

void manner_free(struct manner *m)
{
    olv_text_free(&m->name);
    olv_text_free(&m->last_name);
    olv_text_free(&m->path);
}
