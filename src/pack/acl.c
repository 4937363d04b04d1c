/* SPDX-License-Identifier: Apache-2.0 */
/* The bytes: a version (2), then for each entry a tag and permissions of two bytes each, and the number of
 * the user or group in four, all little-endian (Linux: posix_acl_xattr.h). */
#include "pack/acl.h"

#include "base/bytes.h"
#include "olvido/accounts.h"

#include <stdlib.h>
#include <string.h>

enum { VERSION = 2, HEADER = 4, ENTRY = 8, MOST_ENTRIES = 8192 };
enum { USER_OWNER = 1, USER = 2, GROUP_OWNER = 4, GROUP = 8, MASK = 16, OTHER = 32 };
enum { READ = 4, WRITE = 2, EXECUTE = 1 };

static const struct tag {
    const char *word;
    unsigned without, with; /* a name or number follows; 0: there is no such form */
} tags[] = {
    {"user", USER_OWNER, USER}, {"group", GROUP_OWNER, GROUP}, {"mask", MASK, 0}, {"other", OTHER, 0}};

enum { TAGS = sizeof tags / sizeof *tags };

bool acl_to_text(const void *bytes, size_t len, struct olv_text *out)
{
    const uint8_t *at = bytes;
    if (len < HEADER || (len - HEADER) % ENTRY || bytes_get32(at) != VERSION)
        return false;
    for (size_t i = HEADER; i < len; i += ENTRY) {
        unsigned tag = bytes_get16(at + i), permissions = bytes_get16(at + i + 2), k = 0;
        while (k < TAGS && tags[k].without != tag && tags[k].with != tag)
            k++;
        if (k == TAGS)
            return false;
        olv_text_printf(out, "%s%s:", i > HEADER ? "," : "", tags[k].word);
        if (tag == tags[k].with)
            olv_text_printf(out, "%lu", (unsigned long)bytes_get32(at + i + 4));
        olv_text_printf(out, ":%c%c%c", permissions & READ ? 'r' : '-', permissions & WRITE ? 'w' : '-',
                        permissions & EXECUTE ? 'x' : '-');
    }
    return !out->failed;
}

/* ---- the way back ---- */

struct part {
    const char *at;
    size_t len;
};

/* The parts between colons: tag, name, permissions, number. */
static unsigned acl_cut(const char *entry, size_t len, struct part parts[4])
{
    unsigned n = 0;
    for (const char *at = entry, *end = entry + len; n < 4; n++) {
        const char *colon = memchr(at, ':', (size_t)(end - at));
        parts[n] = (struct part){at, (size_t)((colon ? colon : end) - at)};
        if (!colon)
            return n + 1;
        at = colon + 1;
    }
    return n;
}

static bool acl_number_of(struct part p, uint32_t *out)
{
    uint64_t n = 0;
    for (size_t i = 0; i < p.len; i++) {
        if (p.at[i] < '0' || p.at[i] > '9' || n > UINT32_MAX)
            return false;
        n = n * 10 + (uint64_t)(p.at[i] - '0');
    }
    *out = (uint32_t)n;
    return p.len > 0 && n < UINT32_MAX;
}

static bool id_of(const struct part *parts, unsigned count, bool is_user, uint32_t *out)
{
    char name[128];
    if (count == 4 && acl_number_of(parts[3], out))
        return true;
    if (acl_number_of(parts[1], out))
        return true;
    if (parts[1].len >= sizeof name)
        return false;
    memcpy(name, parts[1].at, parts[1].len);
    name[parts[1].len] = '\0';
    return is_user ? olv_user_id(name, out) : olv_group_id(name, out);
}

static bool permissions_of(struct part p, unsigned *out)
{
    *out = 0;
    for (size_t i = 0; i < p.len; i++)
        switch (p.at[i]) {
        case 'r':
            *out |= READ;
            break;
        case 'w':
            *out |= WRITE;
            break;
        case 'x':
            *out |= EXECUTE;
            break;
        case '-':
            break;
        default:
            return false;
        }
    return p.len > 0;
}

static bool add_entry(const char *entry, size_t len, struct olv_text *out)
{
    struct part parts[4];
    unsigned count = acl_cut(entry, len, parts), permissions, k = 0;
    uint32_t id = UINT32_MAX;
    uint8_t bytes[ENTRY];
    bool has_id;
    while (k < TAGS &&
           (strlen(tags[k].word) != parts[0].len || memcmp(tags[k].word, parts[0].at, parts[0].len) != 0))
        k++;
    if (k == TAGS || count < 3 || !permissions_of(parts[2], &permissions))
        return false;
    has_id = parts[1].len > 0;
    if (has_id && (!tags[k].with || !id_of(parts, count, tags[k].with == USER, &id)))
        return false;
    bytes_put16(bytes, (uint16_t)(has_id ? tags[k].with : tags[k].without));
    bytes_put16(bytes + 2, (uint16_t)permissions);
    bytes_put32(bytes + 4, id);
    olv_text_add(out, bytes, sizeof bytes);
    return true;
}

bool acl_from_text(const char *text, struct olv_text *out)
{
    uint8_t version[HEADER];
    unsigned count = 0;
    bytes_put32(version, VERSION);
    olv_text_add(out, version, sizeof version);
    while (*text) {
        size_t len = strcspn(text, ",\n");
        if (len && (count++ == MOST_ENTRIES || !add_entry(text, len, out)))
            return false;
        text += len + (text[len] != '\0');
    }
    return count > 0 && !out->failed;
}
