/* SPDX-License-Identifier: Apache-2.0 */
/* Where a sparse file has data, in each of the customary forms. */
#include "pack/tar_parts.h"

/* ---- maps of sparse files ---- */

static bool read_pairs(struct tar_reader *r, const char *at, unsigned pairs, struct tar_said *said,
                       struct olv_error *err)
{
    for (unsigned i = 0; i < pairs; i++, at += 24) {
        int64_t offset, length;
        if (!at[0] && !at[12])
            continue;
        if (!tar_get_number(at, 12, &offset) || !tar_get_number(at + 12, 12, &length) || offset < 0 ||
            length < 0)
            return tar_damaged(err, r->at - TAR_BLOCK, "the map of a sparse file");
        if (!tar_add_extent(said, &r->arena, (uint64_t)offset, (uint64_t)length, err))
            return false;
    }
    return true;
}

/* The oldest form: pairs in the header, and in blocks after it. */
static bool read_old_map(struct tar_reader *r, const struct tar_block *b, struct tar_said *said,
                         struct olv_error *err)
{
    const char *block = (const char *)b;
    char more[TAR_BLOCK] = "";
    int64_t real;
    bool goes_on = block[TAR_OLD_SPARSE_MORE] != 0;
    said->is_sparse = true;
    if (!tar_get_number(block + TAR_OLD_REAL_SIZE, 12, &real) || real < 0)
        return tar_damaged(err, r->at - TAR_BLOCK, "the size of a sparse file");
    said->real_size = (uint64_t)real;
    said->has_real_size = true;
    if (!read_pairs(r, block + TAR_OLD_SPARSE_AT, TAR_OLD_SPARSE_PAIRS, said, err))
        return false;
    while (goes_on) {
        if (!tar_take(r, more, sizeof more, err) || !read_pairs(r, more, TAR_SPARSE_BLOCK_PAIRS, said, err))
            return false;
        goes_on = more[TAR_SPARSE_BLOCK_MORE] != 0;
    }
    return true;
}

/* A line with a number, of a map before the data. */
static bool tar_map_take_line(struct tar_reader *r, uint64_t *out, struct olv_error *err)
{
    char digits[24] = "";
    size_t n = 0;
    const char *at = digits;
    for (; n < sizeof digits; n++) {
        if (r->data_left == 0)
            return tar_damaged(err, r->at, "the map of a sparse file is longer than its data");
        if (!tar_take(r, &digits[n], 1, err))
            return false;
        r->data_left--;
        if (digits[n] == '\n')
            break;
    }
    return (tar_decimal(&at, digits + n, out) && at == digits + n) ||
           tar_damaged(err, r->at, "the map of a sparse file");
}

/* Version 1.0: lines of numbers, padded to a block. */
static bool read_map_in_data(struct tar_reader *r, struct tar_said *said, struct olv_error *err)
{
    uint64_t before = r->data_left, count = 0, padding;
    if (!tar_map_take_line(r, &count, err))
        return false;
    for (uint64_t i = 0; i < count; i++) {
        uint64_t at = 0, length = 0;
        if (!tar_map_take_line(r, &at, err) || !tar_map_take_line(r, &length, err) ||
            !tar_add_extent(said, &r->arena, at, length, err))
            return false;
    }
    padding = tar_padding(before - r->data_left);
    if (padding > r->data_left)
        return tar_damaged(err, r->at, "the map of a sparse file is longer than its data");
    r->data_left -= padding;
    return tar_take(r, NULL, padding, err);
}

bool tar_read_map(struct tar_reader *r, const struct tar_block *b, struct tar_said *said,
                  struct olv_member *m, struct olv_error *err)
{
    uint64_t sum = 0;
    if (b->typeflag == 'S' && !read_old_map(r, b, said, err))
        return false;
    if (!said->is_sparse)
        return true;
    if (said->has_map_in_data && !read_map_in_data(r, said, err))
        return false;
    for (size_t i = 0; i < said->extent_count; i++)
        sum += said->extents[i].length;
    m->is_sparse = true;
    m->size_bytes = said->has_real_size ? said->real_size : m->size_bytes;
    m->extents = said->extents;
    m->extent_count = said->extent_count;
    if (sum != r->data_left || (said->extent_count && said->extents[said->extent_count - 1].at +
                                                              said->extents[said->extent_count - 1].length >
                                                          m->size_bytes))
        return tar_damaged(err, m->at, "the map of a sparse file does not fit its data");
    return true;
}
