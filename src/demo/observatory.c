/* SPDX-License-Identifier: Apache-2.0 */
/* A function per department of the observatory. Everything is created through the descriptor of the new
 * directory, nothing is ever overwritten, and every time is "so many days ago". */
#include "olvido/demo.h"

#include "demo/place.h"

#include "olvido/text.h"
#include "os/durable.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

enum { DAY = 86400, YEARS = 8, GAUGES = 2 };

struct site {
    int dir;
    const char *path; /* absolute */
    struct olv_instant now;
    struct olv_demo *demo;
    struct olv_error *err;
    bool ok;
    uint32_t seed;
};

/* The same numbers every time: a linear congruential generator (Numerical Recipes). */
static uint32_t roll(struct site *s, uint32_t below)
{
    s->seed = s->seed * 1664525u + 1013904223u;
    return (s->seed >> 8) % below;
}

static void observatory_fail(struct site *s, const char *name, const char *what)
{
    if (s->ok)
        s->ok = olv_fail_system(s->err, name, "%s", what);
}

static void set_age(struct site *s, const char *name, double days)
{
    int64_t at = s->now.s - (int64_t)(days * DAY);
    struct timespec times[2] = {{.tv_sec = at}, {.tv_sec = at}};
    if (utimensat(s->dir, name, times, AT_SYMLINK_NOFOLLOW) < 0)
        observatory_fail(s, name, "cannot set the time of a sample file");
}

static void directory(struct site *s, const char *name)
{
    if (!s->ok)
        return;
    if (mkdirat(s->dir, name, 0755) < 0)
        observatory_fail(s, name, "cannot make a sample directory");
    s->demo->directories++;
}

static void file_of(struct site *s, const char *name, double days, const char *text, size_t len)
{
    int fd;
    if (!s->ok)
        return;
    fd = openat(s->dir, name, O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0644);
    if (fd < 0 || !olv_write_all(fd, text, len))
        observatory_fail(s, name, "cannot write a sample file");
    olv_os_close(fd);
    if (s->ok)
        set_age(s, name, days);
    s->demo->files++;
    s->demo->bytes += len;
}

static char *two_digits(char *to, unsigned number)
{
    *to++ = (char)('0' + number / 10 % 10);
    *to++ = (char)('0' + number % 10);
    return to;
}

/* "23:59,4.99": a time of the day, and a value. */
static void add_reading(struct site *s, struct olv_text *text, unsigned minute)
{
    unsigned hundredths = roll(s, 100), metres = 1 + roll(s, 4);
    char line[16], *to = two_digits(line, minute / 60 % 24);
    *to++ = ':';
    to = two_digits(to, minute % 60);
    *to++ = ',';
    *to++ = (char)('0' + metres);
    *to++ = '.';
    to = two_digits(to, hundredths);
    *to++ = '\n';
    olv_text_add(text, line, (size_t)(to - line));
}

/* A text with this many lines. */
static void table(struct site *s, const char *name, double days, const char *heading, unsigned lines)
{
    struct olv_text text = {0};
    olv_text_printf(&text, "%s\n", heading);
    for (unsigned i = 0; i < lines; i++)
        add_reading(s, &text, i);
    if (!text.failed)
        file_of(s, name, days, text.data, text.len);
    olv_text_free(&text);
}

/* An age of so many calendar months and days, and its date: files are named by the month of their own time.
 */
struct age {
    double days;
    int year, month;
};

static struct age age_of(const struct site *s, int months, double days)
{
    struct olv_instant t = s->now;
    struct olv_date d;
    olv_instant_add(s->now, (struct olv_duration){-months, 0}, &t);
    days += (double)(s->now.s - t.s) / DAY;
    d = olv_date_from_seconds(s->now.s - (int64_t)(days * DAY));
    return (struct age){days, (int)(d.year % 10000), d.month % 100};
}

/* ---- departments ---- */

static void readings(struct site *s)
{
    char name[96];
    directory(s, "readings");
    for (int gauge = 1; gauge <= GAUGES; gauge++) {
        snprintf(name, sizeof name, "readings/gauge-%d", gauge);
        directory(s, name);
        for (int month = 0; month < 12 * YEARS; month++) {
            struct age age = age_of(s, month, 0.25);
            snprintf(name, sizeof name, "readings/gauge-%d/%04d-%02d.csv", gauge, age.year, age.month);
            table(s, name, age.days, "time,metres", 200 + roll(s, 1200));
        }
    }
    file_of(s, "readings/gauge-2/calibration.csv", 400, "", 0); /* empty: the logger was off */
}

static void hydrophone(struct site *s)
{
    char name[96];
    directory(s, "hydrophone");
    for (int quarter = 0; quarter < 4 * YEARS; quarter++) {
        struct age age = age_of(s, 3 * quarter, 1);
        snprintf(name, sizeof name, "hydrophone/%04d-%02d whale watch.pcm", age.year, age.month);
        table(s, name, age.days, "hydrophone 1, raw", 4000 + roll(s, 6000));
    }
}

static void sparse_file(struct site *s, const char *name, double days)
{
    enum { END = 1 << 20 };
    int fd = s->ok ? openat(s->dir, name, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0644) : -1;
    if (fd < 0 || pwrite(fd, "begin", 5, 0) != 5 || pwrite(fd, "end", 3, END) != 3)
        observatory_fail(s, name, "cannot write a sparse sample file");
    olv_os_close(fd);
    if (s->ok)
        set_age(s, name, days);
    s->demo->files++;
    s->demo->bytes += END + 3;
}

static void photographs(struct site *s)
{
    char name[96];
    directory(s, "photographs");
    for (int month = 0; month < 12 * YEARS; month += 2) {
        struct age age = age_of(s, month, 2);
        snprintf(name, sizeof name, "photographs/breakwater %04d-%02d (%u).jpg", age.year, age.month,
                 1 + roll(s, 9));
        table(s, name, age.days, "not really a photograph", 900 + roll(s, 2500));
    }
    table(s, "photographs/marea alta \xC3\xB1 \xE2\x80\x94 espig\xC3\xB3n.jpg", 1200,
          "not really a photograph", 800);
    table(s, "photographs/\xE6\xBD\xAE\xE4\xBD\x8D.jpg", 2100, "not really a photograph", 800);
}

static void office(struct site *s)
{
    char name[96];
    directory(s, "office");
    directory(s, "office/permits");
    directory(s, "office/timesheets");
    for (int year = 0; year < YEARS; year++) {
        struct age age = age_of(s, 12 * year, 5);
        snprintf(name, sizeof name, "office/permits/harbour permit %04d.txt", age.year);
        table(s, name, age.days, "permit to moor the gauge boat", 20);
        if (s->ok && fchmodat(s->dir, name, 0444, 0) < 0)
            observatory_fail(s, name, "cannot make a sample file read-only");
    }
    for (int month = 0; month < 12 * YEARS; month++) {
        struct age age = age_of(s, month, 3);
        snprintf(name, sizeof name, "office/timesheets/%04d-%02d.txt", age.year, age.month);
        table(s, name, age.days, "timesheet", 30);
    }
}

static void links(struct site *s)
{
    static const char *const pairs[][2] = {{"../../elsewhere", "scratch/link that leads outside"},
                                           {"loop-b", "scratch/loop-a"},
                                           {"loop-a", "scratch/loop-b"}};
    for (size_t i = 0; s->ok && i < sizeof pairs / sizeof *pairs; i++) {
        if (symlinkat(pairs[i][0], s->dir, pairs[i][1]) < 0)
            observatory_fail(s, pairs[i][1], "cannot make a sample link");
        else
            set_age(s, pairs[i][1], 200);
        s->demo->files++;
    }
    if (s->ok &&
        linkat(s->dir, "scratch/draft report.txt", s->dir, "scratch/draft report (same file).txt", 0) < 0)
        observatory_fail(s, "scratch/draft report (same file).txt", "cannot make a hard link");
    s->demo->files++;
}

static void scratch(struct site *s)
{
    char name[96];
    directory(s, "scratch");
    directory(s, "scratch/empty directory");
    for (int i = 0; i < 40; i++) {
        snprintf(name, sizeof name, "scratch/plot-%02d.tmp", i);
        table(s, name, 1 + 3 * i + 0.5, "left over from plotting", 10 + roll(s, 400));
    }
    table(s, "scratch/draft report.txt", 90, "draft", 120);
    table(s, "scratch/-begins with a dash.tmp", 40, "scratch", 20);
    table(s, "scratch/two\nlines.tmp", 50, "scratch", 20);
    table(s, "scratch/tab\there.tmp", 55, "scratch", 20);
    table(s,
          "scratch/latin-1 mar\xE9"
          "e.tmp",
          60, "scratch", 20); /* not UTF-8 */
    table(s, "scratch/\x1B[31mred.tmp", 70, "scratch", 20);
    file_of(s, "scratch/empty.tmp", 45, "", 0);
    table(s, "scratch/keep me (read-only).tmp", 80, "scratch", 20);
    if (s->ok && fchmodat(s->dir, "scratch/keep me (read-only).tmp", 0444, 0) < 0)
        observatory_fail(s, "scratch/keep me (read-only).tmp", "cannot make a sample file read-only");
    table(s, "scratch/from the future.tmp", -30, "scratch", 20);
    sparse_file(s, "scratch/core image.tmp", 35);
    links(s);
}

/* A path in a double-quoted YAML scalar. */
static void quote(struct olv_text *out, const char *path)
{
    olv_text_puts(out, "\"");
    for (; *path; path++) {
        unsigned char c = (unsigned char)*path;
        if (c == '"' || c == '\\')
            olv_text_printf(out, "\\%c", c);
        else if (c < 0x20)
            olv_text_printf(out, "\\x%02X", c);
        else
            olv_text_add(out, path, 1);
    }
}

static void under(struct olv_text *out, const struct site *s, const char *name)
{
    olv_text_puts(out, "    under: ");
    quote(out, s->path);
    olv_text_printf(out, "/%s\"\n", name);
}

static void policy(struct site *s)
{
    struct olv_text t = {0};
    olv_text_puts(&t, "olvido: 1                 # version of this format\n"
                      "title: Faro Norte tide observatory\n"
                      "author: Records office\n"
                      "note: Sample data, made by `olvido demo`. The first rule that fits a file owns it.\n\n"
                      "depots:                   # where archives are kept\n"
                      "  cold-room: { path: ");
    quote(&t, s->path);
    olv_text_puts(&t, "/depot\" }\n\n"
                      "rules:\n"
                      "  - name: permits\n"
                      "    note: Permits are kept for good.\n");
    under(&t, s, "office/permits");
    olv_text_puts(&t, "    steps:\n      - { after: 0 days, do: keep }\n\n"
                      "  - name: timesheets\n"
                      "    note: The harbour office asks for them for six years.\n");
    under(&t, s, "office/timesheets");
    olv_text_puts(
        &t, "    where: name like \"*.txt\"\n"
            "    steps:\n      - { after: 5 years, do: tell }\n      - { after: 6 years, do: discard }\n\n"
            "  - name: gauge-readings\n"
            "    note: Published after a year, and kept for seven.\n");
    under(&t, s, "readings");
    olv_text_puts(&t, "    where: path matches \"^gauge-[0-9]/[0-9]{4}-[0-9]{2}[.]csv$\" and not empty\n"
                      "    steps:\n      - { after: 3 months, do: compress }\n"
                      "      - { after: 1 year, do: archive, depot: cold-room, one-per: year }\n"
                      "      - { after: 7 years, do: delete }\n\n"
                      "  - name: hydrophone\n"
                      "    note: Large, and nobody listens to old ones.\n");
    under(&t, s, "hydrophone");
    olv_text_puts(&t, "    where: suffix = \"pcm\" and size > 40 kB\n"
                      "    steps:\n      - { after: 2 years 6 months, do: discard }\n\n"
                      "  - name: scratch\n"
                      "    note: Whatever nobody missed for a month.\n");
    under(&t, s, "scratch");
    olv_text_puts(&t, "    where: name like \"*.tmp\" and not readonly\n"
                      "    steps:\n      - { after: 30 days, do: discard }\n\n"
                      "limits: { files: 10000, bytes: 1 GiB }     # per run: more than that is a mistake\n\n"
                      "trash: { keep: 60 days }                   # then it is gone for good\n");
    if (!t.failed)
        file_of(s, "policy.yaml", 0, t.data, t.len);
    olv_text_free(&t);
}

/* ---- */

bool olv_demo_write(const char *path, struct olv_instant now, struct olv_demo *demo, struct olv_error *err)
{
    char real[PATH_MAX];
    struct site site = {.now = now, .demo = demo, .err = err, .ok = true, .seed = 20260302};
    *demo = (struct olv_demo){0};
    site.dir = demo_open_place(path, real, err);
    if (site.dir < 0)
        return false;
    site.path = real;
    readings(&site);
    hydrophone(&site);
    photographs(&site);
    office(&site);
    scratch(&site);
    directory(&site, "depot");
    policy(&site);
    close(site.dir);
    return site.ok;
}
