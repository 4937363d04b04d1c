/* SPDX-License-Identifier: Apache-2.0 */
#include "file/origin.h"

#include "base/bytes.h"
#include "base/digest.h"
#include "olvido/json.h"
#include "os/files.h"
#include "os/os.h"

#include <stdio.h>
#include <string.h>

enum { LARGEST_NOTE = 2048 };

size_t origin_pack(const struct origin *o, uint8_t out[ORIGIN_PACKED])
{
    size_t len = strlen(o->name);
    bytes_put64(out, o->size_bytes);
    memcpy(out + 8, o->name, len);
    return 8 + len;
}

bool origin_unpack(const uint8_t *bytes, size_t len, const struct olv_act *act, struct origin *out)
{
    if (len <= 8 || len > ORIGIN_PACKED)
        return false;
    *out = (struct origin){.act = act, .size_bytes = bytes_get64(bytes)};
    memcpy(out->name, bytes + 8, len - 8);
    return true;
}

/* What it was, a zero byte, and what it is. */
static bool put_covered(const struct origin *o, const struct olv_stat *stat, struct olv_text *out)
{
    uint8_t is[6 * 8];
    olv_text_printf(out, "olvido origin %s %llu ", o->act->word, (unsigned long long)o->size_bytes);
    olv_text_add(out, o->name, strlen(o->name) + 1);
    bytes_put64(is, stat->size_bytes);
    bytes_put64(is + 8, (uint64_t)stat->modified.s);
    bytes_put64(is + 16, stat->modified.ns);
    bytes_put64(is + 24, stat->inode);
    bytes_put64(is + 32, (uint64_t)stat->born.s);
    bytes_put64(is + 40, stat->born.ns);
    olv_text_add(out, is, sizeof is);
    return !out->failed;
}

static bool origin_seal(const struct origin *o, const struct olv_stat *stat, const struct olv_notes *notes,
                        char hex[OLV_HEX_SIZE])
{
    struct olv_text covered = {0};
    uint8_t mac[OLV_SHA256_SIZE];
    bool ok = notes && notes->has_key && stat->has_born && put_covered(o, stat, &covered);
    if (ok) {
        olv_hmac_sha256(notes->key, sizeof notes->key, covered.data, covered.len, mac);
        olv_hex(mac, sizeof mac, hex);
    }
    olv_text_free(&covered);
    return ok;
}

bool origin_write(int fd, const struct origin *o, const struct olv_notes *notes)
{
    struct olv_text note = {0};
    struct olv_stat stat;
    char mac[OLV_HEX_SIZE];
    bool ok = olv_os_stat(fd, "", &stat) && origin_seal(o, &stat, notes, mac);
    if (ok) {
        olv_text_puts(&note, "{");
        olv_json_put_name(&note, "name", o->name);
        olv_json_put_string(&note, "act", o->act->word);
        olv_json_put_number(&note, "size", o->size_bytes);
        olv_json_put_plain(&note, "mac", mac);
        olv_text_puts(&note, "}");
        ok = !note.failed && olv_os_set_attribute(fd, ORIGIN_NOTE, note.data, note.len);
    }
    olv_text_free(&note);
    return ok;
}

void origin_remove(int fd)
{
    olv_os_remove_attribute(fd, ORIGIN_NOTE);
}

/* ---- reading ---- */

static bool get(const json_t *json, struct origin *out)
{
    const char *act = json_string_value(json_object_get(json, "act"));
    struct olv_text name = {0};
    bool ok = act && (out->act = olv_act_named(act)) && olv_json_get_name(json, "name", &name) &&
              name.len > 0 && name.len <= NAME_MAX && !memchr(name.data, '/', name.len) &&
              strlen(name.data) == name.len;
    if (ok)
        snprintf(out->name, sizeof out->name, "%s", name.data);
    out->size_bytes = olv_json_get_number(json, "size");
    olv_text_free(&name);
    return ok;
}

bool origin_verify(const void *note, size_t len, const struct olv_stat *stat, const struct olv_notes *notes,
                   struct origin *out)
{
    json_t *json = json_loadb(note, len, 0, NULL);
    const char *mac = json_string_value(json_object_get(json, "mac"));
    char is[OLV_HEX_SIZE];
    bool ok = json_is_object(json) && mac && get(json, out) && origin_seal(out, stat, notes, is) &&
              strlen(mac) == OLV_HEX_SIZE - 1 && olv_is_same(mac, is, OLV_HEX_SIZE - 1);
    json_decref(json);
    return ok;
}

bool origin_read(int dir, const char *name, const struct olv_stat *stat, const struct olv_notes *notes,
                 struct origin *out)
{
    char note[LARGEST_NOTE];
    ssize_t len =
        notes && notes->has_key ? olv_os_get_attribute_of(dir, name, ORIGIN_NOTE, note, sizeof note) : -1;
    return len > 0 && origin_verify(note, (size_t)len, stat, notes, out);
}
