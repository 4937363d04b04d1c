/* SPDX-License-Identifier: Apache-2.0 */
/* An empty line is no answer and is asked again, because Enter alone must never do anything. */
#include "cli/ask.h"

#include "cli/term.h"
#include "cli/watch.h"

#include <errno.h>
#include <poll.h>
#include <string.h>
#include <strings.h>
#include <unistd.h>

enum { LONGEST_ANSWER = 128 };

bool ask_is_possible(const struct cli *cli)
{
    return cli->answers >= 0 && isatty(cli->answers) && isatty(STDERR_FILENO);
}

/* Waits for input, but not through an interrupt, which may arrive right before, or on another thread. */
static bool await_input(const struct cli *cli)
{
    enum { LOOK_EVERY_MS = 100 };
    struct pollfd input = {cli->answers, POLLIN, 0};
    while (!watch_is_interrupted(cli)) {
        int ready = poll(&input, 1, LOOK_EVERY_MS);
        if (ready > 0 || (ready < 0 && errno != EINTR))
            return true;
    }
    return false;
}

/* One line without its newline, cut if too long; false at the end of input or when interrupted. */
static bool read_line(const struct cli *cli, char line[LONGEST_ANSWER])
{
    size_t len = 0;
    for (;;) {
        char byte;
        ssize_t got = await_input(cli) ? read(cli->answers, &byte, 1) : 0;
        if (got < 0 && errno == EINTR && !watch_is_interrupted(cli))
            continue;
        if (got <= 0)
            return false;
        if (byte == '\n')
            break;
        if (len + 1 < LONGEST_ANSWER)
            line[len++] = byte;
    }
    line[len] = '\0';
    return true;
}

static void print_answers(const struct cli *cli, const char *const *answers)
{
    for (size_t i = 0; answers[i]; i++)
        fprintf(stderr, "%s%s%c%s%s", i ? ", " : "", term_begin(cli, STYLE_HEADING), answers[i][0],
                term_end(cli), answers[i] + 1);
    fputs("? ", stderr);
}

/* "no, yes or list". */
static void complain(const char *line, const char *const *answers)
{
    struct olv_text safe = {0};
    term_name(&safe, line);
    fprintf(stderr, "`%s` is no answer; answer ", olv_text_string(&safe));
    for (size_t i = 0; answers[i]; i++)
        fprintf(stderr, "%s%s", i == 0 ? "" : answers[i + 1] ? ", " : " or ", answers[i]);
    fputs(".\n", stderr);
    olv_text_free(&safe);
}

static int ask_find(const char *line, const char *const *answers)
{
    size_t len = strlen(line);
    for (int i = 0; len && answers[i]; i++)
        if (strncasecmp(line, answers[i], len) == 0)
            return i;
    return -1;
}

/* What can be answered stands in one line: behind the question, or below it. */
static void print_question(const struct cli *cli, const char *question, unsigned answer_columns)
{
    unsigned columns = term_columns(question) + 1 + answer_columns;
    fflush(stdout);
    fprintf(stderr, "%s%c", question, cli->width && columns > cli->width ? '\n' : ' ');
}

static unsigned columns_of(const char *const *answers)
{
    unsigned columns = 0;
    for (size_t i = 0; answers[i]; i++)
        columns += term_columns(answers[i]) + 2;
    return columns;
}

int ask(const struct cli *cli, const char *question, const char *const *answers)
{
    char line[LONGEST_ANSWER];
    int answer = -1;
    while (answer < 0) {
        print_question(cli, question, columns_of(answers));
        print_answers(cli, answers);
        if (!read_line(cli, line)) {
            fputc('\n', stderr);
            return -1;
        }
        answer = ask_find(line, answers);
        if (answer < 0 && *line)
            complain(line, answers);
    }
    return answer;
}

bool ask_count(const struct cli *cli, const char *question, uint64_t count)
{
    static const char rest[] = "to do it, anything else to leave it?";
    char line[LONGEST_ANSWER], wanted[24];
    snprintf(wanted, sizeof wanted, "%llu", (unsigned long long)count);
    print_question(cli, question, (unsigned)(sizeof "Type " + strlen(wanted) + sizeof rest));
    fprintf(stderr, "Type %s%s%s %s ", term_begin(cli, STYLE_HEADING), wanted, term_end(cli), rest);
    if (!read_line(cli, line)) {
        fputc('\n', stderr);
        return false;
    }
    return strcmp(line, wanted) == 0;
}
