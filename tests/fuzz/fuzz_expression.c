/* SPDX-License-Identifier: Apache-2.0 */
/* Any bytes as a statement of `where`: it compiles or is complained about; what compiled has an answer for a
 * file, the same each time, and an explanation. */
#include "fuzz.h"
#include "olvido/expr.h"

#include <string.h>

static struct olv_stat stat_of_file = {.kind = OLV_KIND_FILE,
                                       .mode = 0644,
                                       .links = 1,
                                       .size_bytes = 12345,
                                       .modified = {1700000000, 5},
                                       .accessed = {1710000000, 0},
                                       .changed = {1700000001, 0},
                                       .born = {1690000000, 0},
                                       .has_born = true};

static const struct olv_stat *look(struct olv_subject *subject)
{
    return subject->stat = &stat_of_file;
}

static const char *path(struct olv_subject *subject, size_t *len)
{
    static const char whole[] = "2024/05/gauge-0017.csv.gz";
    (void)subject;
    *len = sizeof whole - 1;
    return whole;
}

static enum olv_truth unknown(struct olv_subject *subject)
{
    (void)subject;
    return OLV_UNKNOWN;
}

static const struct olv_subject_facts facts = {
    .look = look, .path = path, .is_open = unknown, .is_empty = unknown, .is_held = unknown};

static void answer(const struct olv_expr *expr, const struct olv_zone *zone)
{
    struct olv_subject subject = {
        .name = "gauge-0017.csv.gz", .name_len = 17, .kind = OLV_KIND_FILE, .depth = 3};
    struct olv_expr_scratch *scratch = olv_expr_scratch_new();
    struct olv_text why = {0};
    struct olv_instant *ages = olv_expr_bind(expr, (struct olv_instant){1800000000, 0}, zone);
    enum olv_truth truth;
    subject.facts = &facts;
    must(scratch && ages);
    truth = olv_expr_test(expr, ages, &subject, scratch);
    must(truth == OLV_YES || truth == OLV_NO || truth == OLV_UNKNOWN);
    must(olv_expr_test(expr, ages, &subject, scratch) == truth);
    olv_expr_explain(expr, &subject, scratch, truth, (struct olv_instant){1800000000, 0}, &why);
    must(!why.failed && why.len > 0);
    olv_text_free(&why);
    free(ages);
    olv_expr_scratch_free(scratch);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static struct olv_zone *zone;
    struct olv_diagnostics list = {0};
    struct olv_expr *expr;
    char *text = malloc(size + 1);
    if (!zone)
        zone = olv_zone_load("UTC");
    memcpy(text, data, size);
    text[size] = '\0';
    expr = olv_expr_compile(text, zone, &list);
    must(expr ? list.errors == 0 : list.errors > 0);
    if (expr) {
        answer(expr, zone);
    }
    olv_expr_free(expr);
    olv_diagnostics_free(&list);
    free(text);
    return 0;
}
