/* SPDX-License-Identifier: Apache-2.0 */
/* What `contents` and `extract` have in common. */
#ifndef OLV_CLI_ARCHIVE_VIEW_H
#define OLV_CLI_ARCHIVE_VIEW_H

#include "cli/cli.h"
#include "olvido/archive.h"

/* Opens the archive that is the command's first argument; the others are the filter. NULL after saying why.
 */
struct olv_archive *archive_view_open(struct cli *cli, struct olv_member_filter *filter,
                                      enum cli_status *status);
/* "tar, packed by zstd", "zip", "packed by gzip". */
void archive_view_describe(const struct olv_archive *archive, struct olv_text *out);

#endif
