/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/views.h"
#include "olvido/accounts.h"

#include <string.h>

/* The customary form: the kind, and three letters each for owner, group and others. */
static void spell_mode(const struct olv_member *m, char out[11])
{
    static const char kinds[] = {
        [OLV_KIND_UNKNOWN] = '?', [OLV_KIND_FILE] = '-', [OLV_KIND_DIRECTORY] = 'd', [OLV_KIND_LINK] = 'l',
        [OLV_KIND_SOCKET] = 's',  [OLV_KIND_PIPE] = 'p', [OLV_KIND_DEVICE] = 'c'};
    static const char letters[] = "rwxrwxrwx";
    out[0] = m->kind == OLV_KIND_DEVICE && m->is_block ? 'b' : kinds[m->kind];
    for (int i = 0; i < 9; i++)
        out[i + 1] = m->mode & 0400u >> i ? letters[i] : '-';
    if (m->mode & 04000)
        out[3] = m->mode & 0100 ? 's' : 'S';
    if (m->mode & 02000)
        out[6] = m->mode & 010 ? 's' : 'S';
    if (m->mode & 01000)
        out[9] = m->mode & 1 ? 't' : 'T';
    out[10] = '\0';
}

static void spell_owner(const struct olv_member *m, struct olv_text *out)
{
    if (*m->owner_name)
        term_name(out, m->owner_name);
    else if (m->has_owner)
        olv_text_printf(out, "%u", m->owner);
    olv_text_puts(out, m->has_owner || *m->owner_name ? "/" : "");
    if (*m->group_name)
        term_name(out, m->group_name);
    else if (m->has_owner)
        olv_text_printf(out, "%u", m->group);
}

static void spell_path(const struct olv_member *m, struct olv_text *out)
{
    term_name(out, m->path);
    if (m->kind == OLV_KIND_DIRECTORY)
        olv_text_puts(out, "/");
    if (*m->link) {
        olv_text_puts(out, m->is_hard_link ? " = " : " -> ");
        term_name(out, m->link);
    }
    if (m->is_encrypted)
        olv_text_puts(out, " (encrypted)");
}

void member_view_row(struct table *table, const struct olv_member *m)
{
    struct olv_text owner = {0}, path = {0};
    char mode[11];
    spell_mode(m, mode);
    spell_owner(m, &owner);
    spell_path(m, &path);
    table_cell(table, STYLE_PLAIN, mode);
    table_text(table, STYLE_PLAIN, &owner);
    if (m->kind == OLV_KIND_FILE && !m->is_hard_link)
        table_size(table, STYLE_PLAIN, m->size_bytes);
    else
        table_cell(table, STYLE_PLAIN, "");
    table_date(table, STYLE_PLAIN, m->modified);
    table_text(table, STYLE_PLAIN, &path);
}

void member_view_json(const struct olv_member *m)
{
    json_t *json = json_object();
    char mode[8];
    snprintf(mode, sizeof mode, "%04o", m->mode);
    olv_json_name(json, "path", m->path);
    olv_json_string(json, "kind", m->is_hard_link ? "hard link" : olv_kind_word(m->kind));
    if (*m->link)
        olv_json_name(json, "link", m->link);
    olv_json_string(json, "mode", mode);
    if (m->has_owner) {
        olv_json_number(json, "uid", m->owner);
        olv_json_number(json, "gid", m->group);
    }
    if (*m->owner_name)
        olv_json_name(json, "owner", m->owner_name);
    if (*m->group_name)
        olv_json_name(json, "group", m->group_name);
    olv_json_number(json, "size", m->size_bytes);
    if (m->packed_bytes)
        olv_json_number(json, "stored", m->packed_bytes);
    olv_json_instant(json, "modified", m->modified);
    if (m->is_sparse)
        json_object_set_new(json, "sparse", json_true());
    if (m->is_encrypted)
        json_object_set_new(json, "encrypted", json_true());
    cli_print_json(json);
}
