/* SPDX-License-Identifier: Apache-2.0 */
/* The mounts of this process (proc_pid_mountinfo(5)). */
#include "os/os.h"

#include <errno.h>

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static bool is_octal(char c)
{
    return c >= '0' && c <= '7';
}

/* "\040" is a space, and so on. */
static void unescape(char *text)
{
    char *to = text;
    for (; *text; text++) {
        if (text[0] == '\\' && is_octal(text[1]) && is_octal(text[2]) && is_octal(text[3])) {
            *to++ = (char)((text[1] - '0') * 64 + (text[2] - '0') * 8 + (text[3] - '0'));
            text += 3;
        } else {
            *to++ = *text;
        }
    }
    *to = '\0';
}

/* File systems that hold no files of people, or that should not be touched without need. */
static bool is_for_files(const char *type)
{
    static const char *const others[] = {"proc",    "sysfs",    "cgroup",    "cgroup2",    "devpts",
                                         "mqueue",  "debugfs",  "tracefs",   "securityfs", "pstore",
                                         "bpf",     "autofs",   "nsfs",      "ramfs",      "configfs",
                                         "fusectl", "efivarfs", "hugetlbfs", "rpc_pipefs", "binfmt_misc"};
    for (size_t i = 0; i < sizeof others / sizeof *others; i++)
        if (strcmp(type, others[i]) == 0)
            return false;
    return true;
}

/* File systems in user space have no magic numbers of their own, but spell their source like network file
 * systems: "machine:/path", "//machine/share". */
static bool is_remote(const char *type, const char *source)
{
    return strncmp(type, "fuse", 4) == 0 &&
           (strncmp(source, "//", 2) == 0 || (source[0] != '/' && strchr(source, ':')));
}

/* Fields: id, parent, device, root, mount point, options, optional fields up to a dash, type, source, ... */
static bool linux_mounts_parse(char *line, struct olv_os_mount *out)
{
    char *rest = line, *field, *type, *source;
    unsigned major, minor;
    for (int i = 0; i < 5; i++) {
        field = strtok_r(rest, " ", &rest);
        if (!field)
            return false;
        if (i == 0)
            out->id = strtoull(field, NULL, 10);
        if (i == 2 && sscanf(field, "%u:%u", &major, &minor) == 2)
            out->device = (uint64_t)major << 32 | minor;
        if (i == 3)
            out->root = field;
        if (i == 4)
            out->point = field;
    }
    type = rest ? strstr(rest, " - ") : NULL;
    if (!type)
        return false;
    type = strtok_r(type + 3, " \n", &rest);
    source = type ? strtok_r(NULL, " \n", &rest) : NULL;
    if (!type)
        return false;
    out->has_files = is_for_files(type);
    out->is_remote = source && is_remote(type, source);
    unescape((char *)(uintptr_t)out->point);
    unescape((char *)(uintptr_t)out->root);
    return out->point[0] == '/';
}

bool olv_os_each_mount(bool (*each)(void *self, const struct olv_os_mount *mount), void *self)
{
    FILE *file = fopen("/proc/self/mountinfo", "re");
    char *line = NULL;
    size_t cap = 0;
    bool go_on = true;
    struct olv_os_mount mount;
    int error = 0;
    if (!file)
        return false;
    while (go_on && getline(&line, &cap, file) >= 0)
        if (linux_mounts_parse(line, &mount))
            go_on = each(self, &mount);
    if (go_on && !feof(file))
        error = errno;
    free(line);
    fclose(file);
    errno = error;
    return error == 0;
}
