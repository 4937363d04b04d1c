/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/codec_options.h"

bool codec_read_level(struct cli *cli, struct olv_manner *how, enum cli_status *status)
{
    struct olv_levels levels = olv_codec_levels(how->codec);
    uint64_t level;
    how->level = levels.usual;
    if (!cli_has(cli, OPT_LEVEL))
        return true;
    if (!cli_number(cli, OPT_LEVEL, &level, status))
        return false;
    if (level < (uint64_t)levels.least || level > (uint64_t)levels.most) {
        *status = how->codec == OLV_CODEC_NONE
                      ? cli_usage(cli, "without a codec there is no level")
                      : cli_usage(cli, "the levels of %s are %d to %d", olv_codec_word(how->codec),
                                  levels.least, levels.most);
        return false;
    }
    how->level = (int)level;
    return true;
}
