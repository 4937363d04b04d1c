/* SPDX-License-Identifier: Apache-2.0 */
/* Temporary files without a name. */
#ifndef OLV_BASE_TEMPORARY_H
#define OLV_BASE_TEMPORARY_H

#include <stdio.h>

/* Makes one, open for reading and writing, in the directory that TMPDIR names, or in /tmp. NULL with errno.
 * Closing it is the end of it. */
FILE *olv_temporary(void);

#endif
