/* SPDX-License-Identifier: Apache-2.0 */
#include "olvido/settings.h"

#include "policy/mapping.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

const char *olv_setting_name(enum olv_setting setting)
{
    static const char *const names[OLV_SETTINGS] = {"ask", "if-exists", "colour"};
    return names[setting];
}

struct reading {
    struct olv_settings *settings;
    const char *path;
    bool is_system;
};

/* The index of the word it says; -1 after a complaint. What is forbidden is checked, and then says nothing.
 */
static int take(struct reader *r, struct fy_node *node, struct reading *s, enum olv_setting setting,
                const char *const *words, size_t count, const char *expected)
{
    char *path, what[40];
    int word;
    snprintf(what, sizeof what, "setting %s:", olv_setting_name(setting));
    word = policy_word(r, node, what, words, count, expected);
    if (word < 0 || (s->settings->is_forbidden[setting] && !s->is_system))
        return -1;
    path = strdup(s->path);
    r->out_of_memory |= !path;
    free(s->settings->from[setting]);
    s->settings->from[setting] = path;
    s->settings->words[setting] = words[word];
    return word;
}

static void read_version(struct reader *r, struct fy_node *node, void *target)
{
    size_t len = 0;
    const char *text = policy_scalar(node, &len);
    (void)target;
    if (!text || len != 1 || text[0] != '1')
        policy_complain(r, node_position(node), "1", NULL,
                        "this version of Olvido reads format 1 of the settings only");
}

static void read_ask(struct reader *r, struct fy_node *node, void *target)
{
    static const char *const words[] = {"needed", "always"};
    struct reading *s = target;
    int word = take(r, node, s, OLV_SET_ASK, words, 2, "needed (the default) or always");
    if (word >= 0)
        s->settings->asks_always = word == 1;
}

/* `replace` is no habit: it is said each time. */
static void read_if_exists(struct reader *r, struct fy_node *node, void *target)
{
    static const char *const words[] = {"refuse", "skip", "number", "set-aside", "ask"};
    static const enum olv_if_exists choices[] = {OLV_REFUSE, OLV_SKIP, OLV_NUMBER, OLV_SET_ASIDE, OLV_REFUSE};
    enum { ASK = 4 };
    struct reading *s = target;
    int word = take(r, node, s, OLV_SET_IF_EXISTS, words, 5,
                    "refuse (the default), ask, skip, number or set-aside; `replace` is said each time");
    if (word < 0)
        return;
    s->settings->if_exists = choices[word];
    s->settings->asks_if_exists = word == ASK;
}

static void read_colour(struct reader *r, struct fy_node *node, void *target)
{
    static const char *const words[] = {"terminal", "never", "always"};
    struct reading *s = target;
    int word = take(r, node, s, OLV_SET_COLOUR, words, 3, "terminal (the default), never or always");
    if (word >= 0)
        s->settings->colour = word;
}

static void forbid_one(struct reader *r, struct fy_node *node, struct reading *s)
{
    const char *names[OLV_SETTINGS];
    int word;
    for (int i = 0; i < OLV_SETTINGS; i++)
        names[i] = olv_setting_name((enum olv_setting)i);
    word = policy_word(r, node, "setting", names, OLV_SETTINGS, "ask, if-exists or colour");
    if (word >= 0)
        s->settings->is_forbidden[word] = true;
}

static void read_forbid(struct reader *r, struct fy_node *node, void *target)
{
    struct reading *s = target;
    struct fy_node *item;
    void *iterator = NULL;
    if (!s->is_system)
        policy_complain(r, node_position(node), NULL, NULL, "only the system's settings forbid some");
    else if (!node || !fy_node_is_sequence(node))
        policy_complain(r, node_position(node), "a list, such as [ if-exists ]", NULL,
                        "`forbid` must be a list of settings");
    else
        while ((item = fy_node_sequence_iterate(node, &iterator)))
            forbid_one(r, item, s);
}

static const struct key keys[] = {{.name = "olvido", .read = read_version, .is_required = true},
                                  {.name = "ask", .read = read_ask},
                                  {.name = "if-exists", .read = read_if_exists},
                                  {.name = "colour", .read = read_colour},
                                  {.name = "forbid", .read = read_forbid}};

static bool read_file(int fd, struct reading *s, struct olv_diagnostics *list, struct olv_error *err)
{
    struct olv_arena arena = {0};
    struct reader r = {.list = list, .arena = &arena};
    bool ok = document_read(&r.doc, fd, s->path, list, err);
    struct fy_node *root = ok ? fy_document_root(r.doc.tree) : NULL;
    if (ok && !root)
        policy_complain(&r, (struct position){0, 0}, "olvido: 1, and settings", NULL, "the file is empty");
    if (root)
        policy_mapping(&r, root, "the settings", keys, sizeof keys / sizeof *keys, s);
    if (ok && r.out_of_memory)
        ok = olv_fail_memory(err);
    else if (ok && list->errors)
        ok = olv_error_at(err, (olv_fail(err, OLV_POLICY, "the settings have errors"), s->path));
    document_close(&r.doc);
    olv_arena_free(&arena);
    return ok;
}

bool olv_settings_read(struct olv_settings *settings, int fd, const char *path, bool is_system,
                       struct olv_diagnostics *list, struct olv_error *err)
{
    struct reading s = {settings, path, is_system};
    struct stat stat;
    bool is_empty = fstat(fd, &stat) == 0 && S_ISREG(stat.st_mode) && stat.st_size == 0;
    return is_empty || read_file(fd, &s, list, err);
}

void olv_settings_free(struct olv_settings *settings)
{
    for (int i = 0; i < OLV_SETTINGS; i++)
        free(settings->from[i]);
    *settings = (struct olv_settings){0};
}
