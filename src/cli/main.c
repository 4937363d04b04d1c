/* SPDX-License-Identifier: Apache-2.0 */
/* From the command line to a command, and from its status to the exit status. */
#include "cli/cli.h"
#include "cli/commands.h"
#include "cli/habits.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/home.h"
#include "olvido/run.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <locale.h>
#include <poll.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <unistd.h>

/* If a standard stream was closed, a file opened later would get its number, and the stream's output. */
static void occupy_standard_streams(void)
{
    for (int fd = 0; fd <= 2; fd++)
        if (fcntl(fd, F_GETFD) < 0 && errno == EBADF && open("/dev/null", fd == 0 ? O_WRONLY : O_RDONLY) < 0)
            _exit(STATUS_NOT_BEGUN);
}

/* Of a pipe, whichever write failed. */
static bool is_reader_gone(void)
{
    struct pollfd out = {.fd = STDOUT_FILENO, .events = POLLOUT};
    return poll(&out, 1, 0) == 1 && (out.revents & POLLERR) != 0;
}

/* Lost output is a failure, whatever the command thought. */
static void finish_output(struct cli *cli)
{
    bool failed = ferror(stdout) != 0;
    errno = 0;
    if (fflush(stdout) == 0 && !failed)
        return;
    cli_mark(cli, STATUS_SOME_FAILED);
    if (errno == EPIPE || is_reader_gone())
        return; /* the reader has seen enough: no message, but not all was written */
    if (errno)
        term_message(cli, STYLE_ERROR, "cannot write to standard output: %s", strerror(errno));
    else
        term_message(cli, STYLE_ERROR, "cannot write all of the output");
}

/* Temporary files go to the state directory, where nobody else can look, as long as it has room. */
static void choose_temporary(const struct cli *cli)
{
    enum { ROOM = 64 << 20 };
    const char *given = cli_value(cli, OPT_STATE);
    char state[PATH_MAX];
    struct olv_error ignored = {0};
    struct statvfs fs;
    struct stat st;
    if (given)
        snprintf(state, sizeof state, "%s", given);
    else if (!olv_state_home(state, sizeof state, &ignored))
        return;
    if (state[0] == '/' && stat(state, &st) == 0 && st.st_uid == geteuid() && !(st.st_mode & 0077) &&
        statvfs(state, &fs) == 0 && (double)fs.f_bavail * (double)fs.f_frsize >= ROOM)
        setenv("TMPDIR", state, 1);
}

/* What the command line and NO_COLOR do not say. */
static void apply_colour(struct cli *cli)
{
    const char *no_colour = getenv("NO_COLOR");
    if (cli_has(cli, OPT_COLOUR) || !cli->settings.from[OLV_SET_COLOUR] || (no_colour && *no_colour))
        return;
    if (cli->settings.colour != OLV_COLOUR_TERMINAL)
        cli->has_colour = cli->settings.colour == OLV_COLOUR_ALWAYS;
}

static void main_run(struct cli *cli)
{
    if (cli_has(cli, OPT_VERSION)) {
        printf("olvido %s\n", OLVIDO_VERSION);
    } else if (cli_has(cli, OPT_HELP) && cli->command != &cmd_help) {
        for (size_t i = 0; i < cli->argument_count; i++)
            cli->arguments[i] = NULL; /* `olvido survey PATH --help` asks about survey */
        cli->argument_count = 0;
        cmd_help.run(cli);
    } else if (!watch_begin(cli)) {
        cli_mark(cli, STATUS_SOME_FAILED);
    } else {
        choose_temporary(cli);
        if (cli->command == &cmd_check || habits_read(cli, &cli->settings)) {
            apply_colour(cli);
            cli->command->run(cli);
        }
        watch_clear(cli);
        watch_end(cli);
    }
}

int main(int argc, char **argv)
{
    struct cli cli = {0};
    occupy_standard_streams();
    signal(SIGPIPE, SIG_IGN);
    signal(SIGXFSZ, SIG_IGN); /* a file that may not grow is a failed write, which is reported */
    signal(SIGIO, SIG_IGN);   /* somebody waits for a file on which we hold a lease */
    signal(SIGURG, SIG_IGN);
    setlocale(LC_TIME, "C");
    if (cli_parse(&cli, argc, (const char **)(void *)argv))
        main_run(&cli);
    finish_output(&cli);
    olv_settings_free(&cli.settings);
    cli_free(&cli);
    return cli.status;
}
