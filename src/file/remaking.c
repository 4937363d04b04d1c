/* SPDX-License-Identifier: Apache-2.0 */
#include "file/remaking.h"

#include "base/digest.h"
#include "file/attributes.h"
#include "os/files.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

static void put_hex(struct olv_text *out, const void *bytes, size_t len)
{
    char *room = olv_text_room(out, 2 * len + 1);
    if (!room)
        return;
    olv_hex(bytes, len, room);
    out->len += 2 * len;
}

static bool put_attribute(void *self, const char *name, const void *value, size_t len)
{
    struct olv_text *out = self;
    if (strncmp(name, ATTRIBUTES_NOTES, strlen(ATTRIBUTES_NOTES)) == 0 || olv_os_is_own_attribute(name))
        return true;
    put_hex(out, name, strlen(name));
    olv_text_puts(out, " ");
    put_hex(out, value, len);
    olv_text_puts(out, "\n");
    errno = 0;
    return out->len <= REMAKING_MOST;
}

bool remaking_note(int fd, const struct olv_stat *stat, struct olv_text *out, struct olv_error *err)
{
    size_t before = out->len;
    olv_text_printf(out, "%o %u %u %lld %u\n", stat->mode, stat->owner, stat->group,
                    (long long)stat->modified.s, stat->modified.ns);
    if (!olv_os_each_attribute(fd, put_attribute, out) && errno)
        return olv_fail_system(err, "", "cannot read its attributes");
    if (out->failed)
        return olv_fail_memory(err);
    return out->len - before <= REMAKING_MOST ||
           olv_fail(err, OLV_REFUSED, "its attributes are longer than %d KiB, which no record keeps",
                    REMAKING_MOST >> 10);
}

/* What the first line says; where the next one begins, or NULL. */
static const char *read_state(const char *text, struct olv_stat *out)
{
    long long seconds;
    int end = 0;
    if (sscanf(text, "%o %u %u %lld %u%n", &out->mode, &out->owner, &out->group, &seconds, &out->modified.ns,
               &end) != 5 ||
        text[end] != '\n' || out->mode > 07777 || out->modified.ns > 999999999)
        return NULL;
    out->modified.s = seconds;
    out->accessed = out->modified;
    return text + end + 1;
}

/* One line; where the next one begins, or NULL with `err`. */
static const char *set_attribute(int fd, const char *line, struct olv_error *err)
{
    size_t name_len = strcspn(line, " \n"), value_len = 0;
    const char *value = line + name_len;
    uint8_t *bytes;
    char name[256];
    bool ok;
    if (*value == ' ')
        value_len = strcspn(++value, "\n");
    if (value[value_len] != '\n' || name_len / 2 >= sizeof name)
        return olv_fail(err, OLV_BROKEN, "what is noted of the directory is damaged"), NULL;
    bytes = malloc(value_len / 2 + 1);
    if (!bytes)
        return olv_fail_memory(err), NULL;
    ok = (olv_unhex(line, name_len, (uint8_t *)name) && olv_unhex(value, value_len, bytes)) ||
         olv_fail(err, OLV_BROKEN, "what is noted of the directory is damaged");
    name[name_len / 2] = '\0';
    ok = ok && (olv_os_set_attribute(fd, name, bytes, value_len / 2) ||
                olv_fail_system(err, "", "cannot restore its attribute %.100s", name));
    free(bytes);
    return ok ? value + value_len + 1 : NULL;
}

bool remaking_apply(int fd, const char *text, struct olv_error *err)
{
    struct olv_stat stat = {0};
    const char *line = read_state(text, &stat);
    if (!line)
        return olv_fail(err, OLV_BROKEN, "what is noted of the directory is damaged");
    if (fchown(fd, (uid_t)stat.owner, (gid_t)stat.group) != 0 && (errno != EPERM || geteuid() == 0))
        return olv_fail_system(err, "", "cannot restore its owner");
    while (line && *line)
        line = set_attribute(fd, line, err);
    if (!line)
        return false;
    if (fchmod(fd, (mode_t)stat.mode) != 0)
        return olv_fail_system(err, "", "cannot restore its mode");
    return attributes_set_times(fd, &stat, err);
}

bool remaking_is_like(const char *text, const struct olv_stat *stat)
{
    struct olv_stat was = {0};
    return read_state(text, &was) && stat->kind == OLV_KIND_DIRECTORY && stat->mode == was.mode &&
           stat->owner == was.owner && olv_instant_compare(stat->modified, was.modified) == 0;
}
