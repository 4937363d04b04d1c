/* SPDX-License-Identifier: Apache-2.0 */
/* A pattern becomes a graph of small steps; matching follows all its ways at once, so the cost is bounded by
 * the product of the lengths. Characters are UTF-8 sequences; an invalid byte counts as a character. What
 * comes before the first wildcard is compared as bytes. */
#include "olvido/pattern.h"

#include "base/characters.h"
#include "base/grow.h"

#include <stdint.h>
#include <stdlib.h>
#include <string.h>

enum {
    MOST_STEPS = 4096,       /* of one pattern */
    MOST_DIGITS = 18,        /* of a number, so that it fits */
    AHEAD = MOST_DIGITS + 1, /* sets of steps in use at once: a number takes so many characters */
    WORD_BITS = 64,
    MOST_WORDS = MOST_STEPS / WORD_BITS
};

struct step {
    enum step_kind {
        STEP_CHARACTER, /* `from` */
        STEP_ANY,       /* one character of a name */
        STEP_NAME,      /* any number of them */
        STEP_PATH,      /* any number of any characters */
        STEP_SET,       /* one of `ranges`, or none of them */
        STEP_NUMBER,    /* between `low` and `high` */
        STEP_FORK,      /* goes on at `to`, too */
        STEP_JUMP,      /* goes on at `to` */
        STEP_END
    } kind;
    uint32_t from;
    size_t to;
    bool is_negated;
    size_t range, range_count; /* in `ranges` */
    uint64_t low, high;
    size_t width; /* digits of the number; 0: as few as it needs */
};

struct range {
    uint32_t from, to;
};

struct olv_pattern {
    struct olv_text begins; /* ordinary characters before the first wildcard */
    struct step *steps;     /* of what follows; owned */
    size_t count, cap;
    struct range *ranges; /* owned */
    size_t range_count, range_cap;
    bool has_slash;
};

/* ---- reading ---- */

struct reading {
    struct olv_pattern *pattern;
    const char *text;
    size_t len, at;
    unsigned depth; /* of braces */
    struct olv_error *err;
};

static bool wrong(struct reading *r, const char *what)
{
    return olv_fail(r->err, OLV_USAGE, "the pattern %.*s: %s", (int)(r->len < 200 ? r->len : 200), r->text,
                    what);
}

/* Where it is; SIZE_MAX without memory, or with too many. */
static size_t add_step(struct reading *r, struct step step)
{
    struct olv_pattern *p = r->pattern;
    if (p->count == MOST_STEPS)
        return wrong(r, "it is too long"), SIZE_MAX;
    if (!grow(&p->steps, p->count, &p->cap, sizeof *p->steps))
        return olv_fail_memory(r->err), SIZE_MAX;
    p->steps[p->count] = step;
    return p->count++;
}

static bool add(struct reading *r, struct step step)
{
    return add_step(r, step) != SIZE_MAX;
}

static bool is_special(char c)
{
    return c && strchr("*?[]{},!-\\", c);
}

/* One ordinary character, after a backslash or not. */
static bool read_ordinary(struct reading *r, uint32_t *out)
{
    if (r->text[r->at] == '\\') {
        if (++r->at == r->len || !is_special(r->text[r->at]))
            return wrong(r, "a backslash stands before * ? [ ] { } , ! - or another backslash");
    }
    r->at += olv_character(r->text + r->at, r->len - r->at, out);
    return true;
}

static bool add_range(struct reading *r, struct range range)
{
    struct olv_pattern *p = r->pattern;
    if (range.from > range.to)
        return wrong(r, "a range in [ ] runs from the smaller to the larger one");
    if (!grow(&p->ranges, p->range_count, &p->range_cap, sizeof *p->ranges))
        return olv_fail_memory(r->err);
    p->ranges[p->range_count++] = range;
    return true;
}

/* After the bracket. */
static bool read_set(struct reading *r)
{
    struct step step = {.kind = STEP_SET, .range = r->pattern->range_count};
    if (r->at < r->len && r->text[r->at] == '!') {
        step.is_negated = true;
        r->at++;
    }
    while (r->at < r->len && r->text[r->at] != ']') {
        struct range range = {0};
        if (!read_ordinary(r, &range.from))
            return false;
        range.to = range.from;
        if (r->at + 1 < r->len && r->text[r->at] == '-' && r->text[r->at + 1] != ']') {
            r->at++;
            if (!read_ordinary(r, &range.to))
                return false;
        }
        if (!add_range(r, range))
            return false;
    }
    step.range_count = r->pattern->range_count - step.range;
    if (r->at == r->len)
        return wrong(r, "a ] is missing; a backslash before the [ makes it an ordinary character");
    if (step.range_count == 0)
        return wrong(
            r, "there is nothing between [ and ]; a backslash before the [ makes it an ordinary character");
    r->at++;
    return add(r, step);
}

/* Digits; how many. */
static size_t read_digits(const char *text, size_t len, uint64_t *out)
{
    size_t n = 0;
    *out = 0;
    while (n < len && n <= MOST_DIGITS && text[n] >= '0' && text[n] <= '9')
        *out = *out * 10 + (uint64_t)(text[n++] - '0');
    return n;
}

/* After the brace: "003..117}". False without an error if it is no such thing. */
static bool read_numbers(struct reading *r)
{
    struct step step = {.kind = STEP_NUMBER};
    const char *text = r->text + r->at, *second;
    size_t len = r->len - r->at, a = read_digits(text, len, &step.low), b;
    if (a == 0 || len < a + 2 || memcmp(text + a, "..", 2) != 0)
        return false;
    second = text + a + 2;
    b = read_digits(second, len - a - 2, &step.high);
    if (b == 0 || a + 2 + b == len || second[b] != '}')
        return wrong(r, "numbers are written {1..12} or {001..012}");
    if (a > MOST_DIGITS || b > MOST_DIGITS)
        return wrong(r, "a number has at most 18 digits");
    if (step.low > step.high)
        return wrong(r, "numbers run from the smaller to the larger one");
    if ((a > 1 && text[0] == '0') || (b > 1 && second[0] == '0'))
        step.width = a > b ? a : b;
    r->at += a + 2 + b + 1;
    return add(r, step);
}

static bool read_sequence(struct reading *r);

/* Goes to the end of all alternatives, which is here. */
static void come_together(struct olv_pattern *p, size_t last_jump)
{
    while (last_jump != SIZE_MAX) {
        size_t before = p->steps[last_jump].to;
        p->steps[last_jump].to = p->count;
        last_jump = before;
    }
}

/* Of each alternative but the last one: a fork before it, and a jump behind it. The jumps are chained until
 * it is known where they go. */
static bool read_alternatives(struct reading *r)
{
    struct olv_pattern *p = r->pattern;
    size_t jump = SIZE_MAX, fork;
    bool is_first = true;
    for (;; is_first = false) {
        fork = add_step(r, (struct step){.kind = STEP_FORK});
        if (fork == SIZE_MAX || !read_sequence(r))
            return false;
        if (r->at == r->len)
            return wrong(r, "a } is missing; a backslash before the { makes it an ordinary character");
        jump = add_step(r, (struct step){.kind = STEP_JUMP, .to = jump});
        if (jump == SIZE_MAX)
            return false;
        if (r->text[r->at++] == '}')
            break;
        p->steps[fork].to = p->count;
    }
    p->steps[fork] = (struct step){.kind = STEP_JUMP, .to = fork + 1};
    come_together(p, jump);
    return !is_first || wrong(r, "braces hold several patterns, as in {a,b}, or numbers, as in {1..12}; "
                                 "a backslash before the { makes it an ordinary character");
}

static bool read_braces(struct reading *r)
{
    enum { DEEPEST = 16 };
    bool ok;
    if (read_numbers(r))
        return true;
    if (r->err->code != OLV_OK)
        return false;
    if (++r->depth > DEEPEST)
        return wrong(r, "its braces are nested too deep");
    ok = read_alternatives(r);
    r->depth--;
    return ok;
}

/* After one star. */
static bool read_star(struct reading *r)
{
    bool is_start = r->at == 1 || r->text[r->at - 2] == '/';
    size_t fork;
    if (r->at == r->len || r->text[r->at] != '*')
        return add(r, (struct step){.kind = STEP_NAME});
    while (r->at < r->len && r->text[r->at] == '*')
        r->at++;
    if (!is_start || r->at == r->len || r->text[r->at] != '/')
        return add(r, (struct step){.kind = STEP_PATH});
    r->at++;
    fork = add_step(r, (struct step){.kind = STEP_FORK});
    if (fork == SIZE_MAX || !add(r, (struct step){.kind = STEP_PATH}) ||
        !add(r, (struct step){.kind = STEP_CHARACTER, .from = '/'}))
        return false;
    r->pattern->steps[fork].to = r->pattern->count;
    return true;
}

static bool read_character(struct reading *r)
{
    struct step step = {.kind = STEP_CHARACTER};
    return read_ordinary(r, &step.from) && add(r, step);
}

static bool read_one(struct reading *r)
{
    switch (r->text[r->at]) {
    case '*':
        r->at++;
        return read_star(r);
    case '?':
        r->at++;
        return add(r, (struct step){.kind = STEP_ANY});
    case '[':
        r->at++;
        return read_set(r);
    case '{':
        r->at++;
        return read_braces(r);
    default:
        return read_character(r);
    }
}

/* To the end, or to what ends an alternative. */
static bool read_sequence(struct reading *r)
{
    while (r->at < r->len && !(r->depth && (r->text[r->at] == ',' || r->text[r->at] == '}')))
        if (!read_one(r))
            return false;
    return true;
}

/* Ordinary characters, up to the first wildcard. */
static bool read_beginning(struct reading *r)
{
    while (r->at < r->len && !strchr("*?[{", r->text[r->at])) {
        size_t from = r->at;
        uint32_t ignored;
        if (!read_ordinary(r, &ignored))
            return false;
        from += r->text[from] == '\\';
        olv_text_add(&r->pattern->begins, r->text + from, r->at - from);
    }
    return !r->pattern->begins.failed || olv_fail_memory(r->err);
}

struct olv_pattern *olv_pattern_new(const char *text, size_t len, struct olv_error *err)
{
    struct olv_pattern *pattern = allocate(sizeof *pattern, err);
    struct reading r = {pattern, text, len, 0, 0, err};
    if (pattern && memchr(text, '\0', len) == NULL && read_beginning(&r) && read_sequence(&r) &&
        add(&r, (struct step){.kind = STEP_END})) {
        pattern->has_slash = memchr(text, '/', len);
        return pattern;
    }
    if (pattern && err->code == OLV_OK)
        olv_fail(err, OLV_USAGE, "a pattern has no zero byte");
    olv_pattern_free(pattern);
    return NULL;
}

void olv_pattern_free(struct olv_pattern *pattern)
{
    if (!pattern)
        return;
    olv_text_free(&pattern->begins);
    free(pattern->steps);
    free(pattern->ranges);
    free(pattern);
}

/* ---- matching ---- */

struct matching {
    const struct olv_pattern *pattern;
    const char *text;
    size_t len;
    size_t words;                     /* of one set */
    uint64_t sets[AHEAD][MOST_WORDS]; /* the steps that wait at a place of the text */
};

/* Puts a step, and all that it leads to without a character, into the set of a place. */
static void wait_at(struct matching *m, size_t place, size_t step)
{
    uint64_t *set = m->sets[place % AHEAD];
    for (;;) {
        const struct step *s = &m->pattern->steps[step];
        uint64_t bit = (uint64_t)1 << step % WORD_BITS;
        if (set[step / WORD_BITS] & bit)
            return;
        set[step / WORD_BITS] |= bit;
        if (s->kind == STEP_FORK)
            wait_at(m, place, s->to);
        if (s->kind == STEP_FORK || s->kind == STEP_NAME || s->kind == STEP_PATH)
            step++;
        else if (s->kind == STEP_JUMP)
            step = s->to;
        else
            return;
    }
}

static bool is_in_set(const struct olv_pattern *p, const struct step *s, uint32_t c)
{
    for (size_t i = s->range; i < s->range + s->range_count; i++)
        if (c >= p->ranges[i].from && c <= p->ranges[i].to)
            return !s->is_negated;
    return s->is_negated;
}

/* Every number that begins here. */
static void take_numbers(struct matching *m, size_t place, size_t step)
{
    const struct step *s = &m->pattern->steps[step];
    const char *text = m->text + place;
    size_t left = m->len - place;
    uint64_t number = 0;
    for (size_t n = 0; n < left && n < MOST_DIGITS && text[n] >= '0' && text[n] <= '9'; n++) {
        number = number * 10 + (uint64_t)(text[n] - '0');
        if (number >= s->low && number <= s->high &&
            (s->width ? n + 1 == s->width : n == 0 || text[0] != '0'))
            wait_at(m, place + n + 1, step + 1);
    }
}

static void take(struct matching *m, size_t place, size_t step, uint32_t c, size_t len)
{
    const struct step *s = &m->pattern->steps[step];
    bool fits = false;
    switch (s->kind) {
    case STEP_CHARACTER:
        fits = c == s->from;
        break;
    case STEP_ANY:
        fits = c != '/';
        break;
    case STEP_SET:
        fits = c != '/' && is_in_set(m->pattern, s, c);
        break;
    case STEP_NUMBER:
        take_numbers(m, place, step);
        break;
    case STEP_NAME:
        if (c != '/')
            wait_at(m, place + len, step);
        break;
    case STEP_PATH:
        wait_at(m, place + len, step);
        break;
    default:
        break;
    }
    if (fits)
        wait_at(m, place + len, step + 1);
}

/* Takes one character; how long it is. */
static size_t take_character(struct matching *m, size_t place)
{
    uint64_t *set = m->sets[place % AHEAD];
    uint32_t c;
    size_t len = olv_character(m->text + place, m->len - place, &c);
    for (size_t w = 0; w < m->words; w++) {
        size_t step = w * WORD_BITS;
        for (uint64_t left = set[w]; left; left >>= 1, step++)
            if (left & 1)
                take(m, place, step, c, len);
    }
    memset(set, 0, m->words * sizeof *set);
    return len;
}

static bool has_ended(const struct matching *m, size_t place)
{
    size_t end = m->pattern->count - 1;
    return m->sets[place % AHEAD][end / WORD_BITS] >> end % WORD_BITS & 1;
}

enum question { WHOLE, WHOLE_OR_ABOVE, BEGINNING };

/* Whether any step waits there. */
static bool goes_on(const struct matching *m, size_t place)
{
    uint64_t any = 0;
    for (size_t w = 0; w < m->words; w++)
        any |= m->sets[place % AHEAD][w];
    return any;
}

static bool fits_rest(const struct olv_pattern *p, const char *text, size_t len, enum question question)
{
    struct matching m;
    size_t place = 0;
    m.pattern = p;
    m.text = text;
    m.len = len;
    m.words = (p->count + WORD_BITS - 1) / WORD_BITS;
    for (size_t i = 0; i < AHEAD; i++)
        memset(m.sets[i], 0, m.words * sizeof *m.sets[i]);
    wait_at(&m, 0, 0);
    while (place < len) {
        if (question == WHOLE_OR_ABOVE && text[place] == '/' && has_ended(&m, place))
            return true;
        place += take_character(&m, place);
    }
    return question == BEGINNING ? goes_on(&m, len) : has_ended(&m, len);
}

static bool fits(const struct olv_pattern *p, const char *text, size_t len, enum question question)
{
    size_t begins = p->begins.len;
    if (question == BEGINNING && len < begins)
        return memcmp(p->begins.data, text, len) == 0;
    if (len < begins || (begins && memcmp(p->begins.data, text, begins) != 0))
        return false;
    if (p->count == 1 && question == WHOLE_OR_ABOVE && len > begins)
        return text[begins] == '/' || (begins && text[begins - 1] == '/');
    if (p->count == 1)
        return len == begins;
    return fits_rest(p, text + begins, len - begins, question);
}

bool olv_pattern_fits(const struct olv_pattern *pattern, const char *text, size_t len)
{
    return fits(pattern, text, len, WHOLE);
}

bool olv_pattern_fits_above(const struct olv_pattern *pattern, const char *path, size_t len)
{
    return fits(pattern, path, len, WHOLE_OR_ABOVE);
}

bool olv_pattern_leads(const struct olv_pattern *pattern, const char *text, size_t len)
{
    return fits(pattern, text, len, BEGINNING);
}

/* ---- about patterns ---- */

const char *olv_pattern_only(const struct olv_pattern *pattern)
{
    return pattern->count == 1 ? olv_text_string(&pattern->begins) : NULL;
}

const char *olv_pattern_begins(const struct olv_pattern *pattern)
{
    return olv_text_string(&pattern->begins);
}

bool olv_pattern_has_slash(const struct olv_pattern *pattern)
{
    return pattern->has_slash;
}

/* Digits as wide as the number is written. */
static void put_number(struct olv_text *out, const struct step *s)
{
    char room[OLV_DIGITS];
    const char *digits = olv_digits(room, s->low);
    for (size_t n = strlen(digits); n < s->width; n++)
        olv_text_puts(out, "0");
    olv_text_puts(out, digits);
}

/* A character that the set has. */
static void put_of_set(struct olv_text *out, const struct olv_pattern *p, const struct step *s)
{
    uint32_t c = p->ranges[s->range].from;
    uint8_t bytes[6];
    int len;
    for (uint32_t other = '0'; s->is_negated && other <= 'z'; other++)
        if (is_in_set(p, s, other))
            c = other;
    len = u8_uctomb(bytes, c, sizeof bytes);
    olv_text_add(out, bytes, len > 0 ? (size_t)len : 0);
}

void olv_pattern_example(const struct olv_pattern *p, const char *star, struct olv_text *out)
{
    olv_text_add(out, p->begins.data, p->begins.len);
    for (size_t i = 0; i < p->count;) {
        const struct step *s = &p->steps[i];
        uint8_t bytes[6];
        int len = s->kind == STEP_CHARACTER ? u8_uctomb(bytes, s->from, sizeof bytes) : 0;
        if (len > 0)
            olv_text_add(out, bytes, (size_t)len);
        else if (s->kind == STEP_ANY)
            olv_text_puts(out, "x");
        else if (s->kind == STEP_SET)
            put_of_set(out, p, s);
        else if (s->kind == STEP_NUMBER)
            put_number(out, s);
        else if (s->kind == STEP_NAME || s->kind == STEP_PATH)
            olv_text_puts(out, star);
        i = s->kind == STEP_JUMP ? s->to : i + 1;
    }
}

bool olv_pattern_is_one(const char *text, size_t len)
{
    for (size_t i = 0; i < len; i++) {
        if (text[i] == '\\')
            i++;
        else if (text[i] && strchr("*?[{", text[i]))
            return true;
    }
    return false;
}

size_t olv_pattern_component(const char *text, size_t len)
{
    unsigned braces = 0;
    size_t i = 0;
    for (; i < len && (braces || text[i] != '/'); i++) {
        if (text[i] == '\\' && i + 1 < len)
            i++;
        else if (text[i] == '{')
            braces++;
        else if (text[i] == '}' && braces)
            braces--;
    }
    return i;
}

void olv_pattern_quote(struct olv_text *out, const char *text, size_t len)
{
    for (size_t i = 0; i < len; i++)
        olv_text_printf(out, "%s%c", text[i] && strchr("*?[]{},\\", text[i]) ? "\\" : "", text[i]);
}
