/* SPDX-License-Identifier: Apache-2.0 */
/* The text is split once into literal parts and fields. */
#include "cli/template.h"

#include "cli/term.h"
#include "olvido/accounts.h"
#include "olvido/nearest.h"
#include "olvido/path.h"
#include "olvido/quantity.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { DAY = 86400, MOST_PARTS = 200 };

struct context {
    const struct olv_survey_entry *entry;
    struct olv_instant when, now; /* by the survey's clock */
    bool is_safe;                 /* names go to a terminal */
    struct olv_text *out;
};

static void template_put_name(const struct context *c, const char *bytes)
{
    if (c->is_safe)
        term_name(c->out, bytes);
    else
        olv_text_puts(c->out, bytes);
}

static void put_path(const struct context *c)
{
    template_put_name(c, c->entry->path);
}

static void put_last(const struct context *c)
{
    template_put_name(c, olv_path_name(c->entry->path));
}

static void put_kind(const struct context *c)
{
    olv_text_puts(c->out, olv_kind_word(c->entry->stat.kind));
}

static void put_size(const struct context *c)
{
    char size[OLV_SIZE_TEXT];
    olv_text_puts(c->out, olv_size_format(c->entry->stat.size_bytes, size));
}

static void put_number(const struct context *c, uint64_t number)
{
    olv_text_printf(c->out, "%llu", (unsigned long long)number);
}

static void put_bytes(const struct context *c)
{
    put_number(c, c->entry->stat.size_bytes);
}

static void template_put_owner(const struct context *c)
{
    char name[64];
    olv_user_name(c->entry->stat.owner, name, sizeof name);
    template_put_name(c, name);
}

static void put_group(const struct context *c)
{
    char name[64];
    olv_group_name(c->entry->stat.group, name, sizeof name);
    template_put_name(c, name);
}

static void put_uid(const struct context *c)
{
    put_number(c, c->entry->stat.owner);
}

static void put_gid(const struct context *c)
{
    put_number(c, c->entry->stat.group);
}

static void put_mode(const struct context *c)
{
    olv_text_printf(c->out, "%04o", (unsigned)c->entry->stat.mode);
}

static void put_links(const struct context *c)
{
    put_number(c, c->entry->stat.links);
}

static void put_inode(const struct context *c)
{
    put_number(c, c->entry->stat.inode);
}

static void put_instant(const struct context *c, struct olv_instant t)
{
    char text[OLV_RFC3339_SIZE];
    olv_text_puts(c->out, olv_instant_format(t, text));
}

static void put_modified(const struct context *c)
{
    put_instant(c, c->entry->stat.modified);
}

static void put_accessed(const struct context *c)
{
    put_instant(c, c->entry->stat.accessed);
}

static void put_changed(const struct context *c)
{
    put_instant(c, c->entry->stat.changed);
}

static void put_born(const struct context *c)
{
    if (c->entry->stat.has_born)
        put_instant(c, c->entry->stat.born);
    else
        olv_text_puts(c->out, "?");
}

static void put_age(const struct context *c)
{
    char age[OLV_AGE_SIZE];
    olv_text_puts(c->out, olv_age_format(c->when, c->now, age));
}

static void put_days(const struct context *c)
{
    olv_text_printf(c->out, "%lld", (long long)(c->now.s - c->when.s) / DAY);
}

static void put_minutes(const struct context *c)
{
    olv_text_printf(c->out, "%lld", (long long)(c->now.s - c->when.s) / 60);
}

static const struct named_field {
    const char *name;
    void (*put)(const struct context *c);
} fields[] = {
    {"path", put_path},         {"name", put_last},         {"kind", put_kind},
    {"size", put_size},         {"bytes", put_bytes},       {"owner", template_put_owner},
    {"uid", put_uid},           {"group", put_group},       {"gid", put_gid},
    {"mode", put_mode},         {"links", put_links},       {"inode", put_inode},
    {"modified", put_modified}, {"accessed", put_accessed}, {"changed", put_changed},
    {"born", put_born},         {"age", put_age},           {"days", put_days},
    {"minutes", put_minutes},
};
enum { FIELDS = sizeof fields / sizeof *fields };

struct part {
    const struct named_field *field; /* NULL: literal */
    size_t at, len;                  /* in `text` */
};

struct template
{
    struct part parts[MOST_PARTS];
    size_t count;
    struct olv_text text; /* the literal parts */
    bool is_safe, ends_itself;
};

static bool template_add_part(struct template *t, struct part part)
{
    if (t->count < MOST_PARTS)
        t->parts[t->count++] = part;
    return t->count < MOST_PARTS;
}

static bool add_byte(struct template *t, char byte)
{
    struct part *last = t->count ? &t->parts[t->count - 1] : NULL;
    olv_text_add(&t->text, &byte, 1);
    if (last && !last->field) {
        last->len++;
        return true;
    }
    return template_add_part(t, (struct part){NULL, t->text.len - 1, 1});
}

static bool add_field(struct cli *cli, struct template *t, const char *name, size_t len)
{
    const char *names[FIELDS], *near;
    for (size_t i = 0; i < FIELDS; i++) {
        names[i] = fields[i].name;
        if (strlen(names[i]) == len && memcmp(names[i], name, len) == 0)
            return template_add_part(t, (struct part){&fields[i], 0, 0});
    }
    near = olv_nearest(name, len, names, FIELDS);
    return cli_usage(cli, "there is no field {%.*s}%s%s%s", (int)(len > 40 ? 40 : len), name,
                     near ? "; did you mean {" : "", near ? near : "", near ? "}?" : "");
}

/* Takes one byte, escape or field off the text; NULL after saying what is wrong. */
static const char *take(struct cli *cli, struct template *t, const char *at)
{
    static const char letters[] = "nt0\\", bytes[] = "\n\t\0\\";
    const char *end, *letter;
    t->ends_itself = false;
    if (at[0] == '\\') {
        letter = at[1] ? strchr(letters, at[1]) : NULL;
        if (!letter) {
            cli_usage(cli, "a backslash in a template is followed by n, t, 0 or another one, not by `%.1s`",
                      at + 1);
            return NULL;
        }
        t->ends_itself = at[1] == '0';
        return add_byte(t, bytes[letter - letters]) ? at + 2 : NULL;
    }
    if (at[0] == '{' && at[1] == '{')
        return add_byte(t, '{') ? at + 2 : NULL;
    if (at[0] != '{')
        return add_byte(t, at[0]) ? at + 1 : NULL;
    end = strchr(at, '}');
    if (!end) {
        cli_usage(cli, "a brace is not closed in `%s`", at);
        return NULL;
    }
    return add_field(cli, t, at + 1, (size_t)(end - at) - 1) ? end + 1 : NULL;
}

struct template *template_new(struct cli *cli, const char *text)
{
    struct template *t = calloc(1, sizeof *t);
    if (t)
        t->is_safe = isatty(STDOUT_FILENO) == 1;
    while (t && text && *text)
        text = take(cli, t, text);
    if (t && text && !t->ends_itself)
        add_byte(t, '\n');
    if (t && text && !t->text.failed)
        return t;
    cli_mark(cli, STATUS_USAGE);
    template_free(t);
    return NULL;
}

void template_free(struct template *t)
{
    if (!t)
        return;
    olv_text_free(&t->text);
    free(t);
}

void template_write(const struct template *t, const struct olv_survey_entry *entry, enum olv_clock clock,
                    struct olv_instant now, struct olv_text *out)
{
    const struct context c = {entry, olv_stat_time(&entry->stat, clock), now, t->is_safe, out};
    for (size_t i = 0; i < t->count; i++)
        if (t->parts[i].field)
            t->parts[i].field->put(&c);
        else
            olv_text_add(out, t->text.data + t->parts[i].at, t->parts[i].len);
}
