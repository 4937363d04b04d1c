/* SPDX-License-Identifier: Apache-2.0 */
/* Temporary files without a name. */
#ifndef OLV_BASE_TEMPORARY_H
#define OLV_BASE_TEMPORARY_H

#include <stdio.h>

/* Opens one for reading and writing, in the directory that TMPDIR names, or in /tmp. NULL with errno. It
 * vanishes when closed. */
FILE *olv_temporary(void);

#endif
