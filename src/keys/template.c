/* SPDX-License-Identifier: Apache-2.0 */
#include "keys/keys.h"

#include <string.h>

struct expanding {
    const char *directory, *name;
    size_t dot; /* behind the last dot of the name; its length if it has no suffix */
};

static void put_dir(const struct expanding *x, struct olv_text *out)
{
    olv_text_puts(out, x->directory[1] ? x->directory : "");
}

static void put_name(const struct expanding *x, struct olv_text *out)
{
    olv_text_puts(out, x->name);
}

static void put_stem(const struct expanding *x, struct olv_text *out)
{
    olv_text_add(out, x->name, x->name[x->dot] ? x->dot - 1 : x->dot);
}

static void put_suffix(const struct expanding *x, struct olv_text *out)
{
    olv_text_puts(out, x->name + x->dot);
}

static const struct field {
    const char *word;
    void (*put)(const struct expanding *x, struct olv_text *out);
} fields[] = {{"{dir}", put_dir}, {"{name}", put_name}, {"{stem}", put_stem}, {"{suffix}", put_suffix}};

static const struct field *field_at(const char *text)
{
    for (size_t i = 0; i < sizeof fields / sizeof *fields; i++)
        if (strncmp(text, fields[i].word, strlen(fields[i].word)) == 0)
            return &fields[i];
    return NULL;
}

bool template_is_sound(const char *text)
{
    bool is_absolute = *text == '/' || strncmp(text, "{dir}/", 6) == 0;
    for (; is_absolute && *text; text++)
        if (*text == '{' && !field_at(text))
            return false;
    return is_absolute;
}

void template_expand(const char *text, const char *directory, const char *name, struct olv_text *out)
{
    const char *dot = strrchr(name, '.');
    struct expanding x = {directory, name, dot && dot > name ? (size_t)(dot + 1 - name) : strlen(name)};
    const struct field *field;
    while (*text) {
        field = field_at(text);
        if (field)
            field->put(&x, out);
        else
            olv_text_add(out, text, 1);
        text += field ? strlen(field->word) : 1;
    }
}
