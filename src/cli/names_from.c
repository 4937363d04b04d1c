/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/names_from.h"

#include "cli/term.h"
#include "cli/watch.h"

#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

/* Nothing answers there if the names come from it. */
static void answer_at_terminal(struct cli *cli)
{
    cli->answers = open("/dev/tty", O_RDWR | O_CLOEXEC | O_NOCTTY);
}

static int open_names(struct cli *cli, const char *file)
{
    struct olv_error err = {0};
    struct stat st;
    int fd = strcmp(file, "-") == 0 ? dup(STDIN_FILENO) : open(file, O_RDONLY | O_CLOEXEC);
    if (fd < 0) {
        olv_fail_system(&err, file, "cannot open the file of names");
    } else if (fstat(fd, &st) == 0 && S_ISDIR(st.st_mode)) {
        olv_error_at(&err, (olv_fail(&err, OLV_USAGE, "it is a directory, not a file of names"), file));
    } else if (isatty(fd)) {
        olv_error_at(
            &err, (olv_fail(&err, OLV_USAGE, "names are read from a file or a pipe, not a terminal"), file));
    } else {
        return fd;
    }
    if (fd >= 0)
        close(fd);
    cli_report(cli, &err);
    return -1;
}

static bool read_all(struct cli *cli, int fd, const char *file, struct olv_text *out)
{
    enum { AT_ONCE = 1 << 16 };
    struct olv_error err = {0};
    for (;;) {
        char *room = olv_text_room(out, AT_ONCE);
        ssize_t got = room ? read(fd, room, AT_ONCE) : 0;
        if (watch_is_interrupted(cli)) {
            cli_mark(cli, STATUS_INTERRUPTED);
            return false;
        }
        if (got < 0 && errno == EINTR)
            continue;
        if (got < 0)
            return olv_fail_system(&err, file, "cannot read the names") || cli_report(cli, &err);
        if (got == 0)
            return !out->failed || cli_memory(cli);
        out->len += (size_t)got;
        out->data[out->len] = '\0';
    }
}

/* Cuts the text into names, in place. The last one may do without its end. */
static bool cut(struct cli *cli, struct names *names, const char *file)
{
    struct olv_text *text = &names->file;
    char separator = text->len && memchr(text->data, '\0', text->len) ? '\0' : '\n';
    size_t number = 1, count = 1;
    for (size_t i = 0; i < text->len; i++)
        count += text->data[i] == separator;
    const char **items = realloc(names->items, (names->count + count) * sizeof *items);
    if (!items)
        return cli_memory(cli);
    names->items = items;
    for (size_t at = 0, end; at < text->len; at = end + 1, number++) {
        const char *found = memchr(text->data + at, separator, text->len - at);
        end = found ? (size_t)(found - text->data) : text->len;
        text->data[end] = '\0';
        if (end == at)
            return cli_usage(cli, "%s: name %zu is empty", file, number);
        names->items[names->count++] = text->data + at;
    }
    return true;
}

bool names_read(struct cli *cli, struct names *out)
{
    const char *file = cli_value(cli, OPT_NAMES_FROM);
    int fd;
    bool ok;
    *out = (struct names){.items = calloc(cli->argument_count + 1, sizeof *out->items)};
    if (!out->items)
        return cli_memory(cli);
    for (size_t i = 0; i < cli->argument_count; i++)
        out->items[out->count++] = cli->arguments[i];
    if (!file)
        return true;
    fd = open_names(cli, file);
    ok = fd >= 0 && read_all(cli, fd, file, &out->file) && cut(cli, out, file);
    if (fd >= 0)
        close(fd);
    answer_at_terminal(cli);
    return ok;
}

void names_free(struct names *names)
{
    free(names->items);
    olv_text_free(&names->file);
    *names = (struct names){0};
}
