/* What programs look at before they open a device: whether it is there, and of what kind. */
#include "shim.h"
#include <fcntl.h>
#include <sys/stat.h>
#include <sys/sysmacros.h>

#define CAN (R_OK | W_OK)

static int kind_of(struct mapped *device)
{
    return !strcmp(device->kind, "i2c") ? I2C_KIND : !strcmp(device->kind, "spi") ? SPI_KIND : CHIP_KIND;
}

/* As a device of the kernel looks. The numbers are those of its own kinds of device; of lines none is fixed. */
static int describe(int kind, struct stat *about)
{
    memset(about, 0, sizeof *about);
    about->st_mode = S_IFCHR | 0660;
    about->st_nlink = 1;
    about->st_uid = getuid();
    about->st_gid = getgid();
    about->st_blksize = 4096;
    about->st_rdev = makedev(kind == I2C_KIND ? 89 : kind == SPI_KIND ? 153 : 254, 0);
    return 0;
}

#define LOOKS(name, type, first, firsts, last, lasts, more) \
    SHOWN int name(firsts const char *path, struct type *about lasts) \
    { \
        struct mapped *device = count_of_devices ? find(path) : NULL; \
        REAL(int, name, firsts const char *, struct type *more); \
        if (is_answered(device)) \
            return describe(kind_of(device), (struct stat *)about); \
        return real_##name(first device ? device->target : path, about last); \
    }

#define COMMA , /* the two structures are one where a pointer has 64 bits, and the two calls as well */
LOOKS(stat, stat, , , , , )
LOOKS(stat64, stat64, , , , , )
LOOKS(lstat, stat, , , , , )
LOOKS(lstat64, stat64, , , , , )
LOOKS(__xstat, stat, version COMMA, int version COMMA, , , )
LOOKS(__xstat64, stat64, version COMMA, int version COMMA, , , )
LOOKS(__lxstat, stat, version COMMA, int version COMMA, , , )
LOOKS(__lxstat64, stat64, version COMMA, int version COMMA, , , )
LOOKS(fstatat, stat, folder COMMA, int folder COMMA, COMMA flags, COMMA int flags, COMMA int)
LOOKS(fstatat64, stat64, folder COMMA, int folder COMMA, COMMA flags, COMMA int flags, COMMA int)

#define LOOKS_OPEN(name, type, first, firsts) \
    SHOWN int name(firsts int file, struct type *about) \
    { \
        uint64_t handle = handle_of(file); \
        REAL(int, name, firsts int, struct type *); \
        if (handle && KIND_OF(handle) != LINES_KIND) \
            return describe(KIND_OF(handle), (struct stat *)about); \
        return real_##name(first file, about); \
    }

LOOKS_OPEN(fstat, stat, , )
LOOKS_OPEN(fstat64, stat64, , )
LOOKS_OPEN(__fxstat, stat, version COMMA, int version COMMA)
LOOKS_OPEN(__fxstat64, stat64, version COMMA, int version COMMA)

SHOWN int statx(int folder, const char *path, int flags, unsigned mask, struct statx *about)
{
    struct mapped *device = count_of_devices ? find(path) : NULL;
    struct stat found;
    REAL(int, statx, int, const char *, int, unsigned, struct statx *);
    if (!is_answered(device))
        return real_statx(folder, device ? device->target : path, flags, mask, about);
    describe(kind_of(device), &found);
    memset(about, 0, sizeof *about);
    about->stx_mask = STATX_TYPE | STATX_MODE | STATX_NLINK | STATX_UID | STATX_GID;
    about->stx_mode = found.st_mode;
    about->stx_nlink = found.st_nlink;
    about->stx_uid = found.st_uid;
    about->stx_gid = found.st_gid;
    about->stx_blksize = found.st_blksize;
    about->stx_rdev_major = major(found.st_rdev);
    return 0;
}

#define MAY(name, first, firsts, last, lasts, more) \
    SHOWN int name(firsts const char *path, int how lasts) \
    { \
        struct mapped *device = count_of_devices ? find(path) : NULL; \
        REAL(int, name, firsts const char *, int more); \
        if (is_answered(device)) \
            return how & ~CAN ? failed(EACCES) : 0; \
        return real_##name(first device ? device->target : path, how last); \
    }

MAY(access, , , , , )
MAY(euidaccess, , , , , )
MAY(eaccess, , , , , )
MAY(faccessat, folder COMMA, int folder COMMA, COMMA flags, COMMA int flags, COMMA int)
