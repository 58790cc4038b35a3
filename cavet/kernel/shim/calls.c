/* The C library's calls. The loader finds these first; what is not about a mapped device goes on to the real ones. */
#include "shim.h"
#include <fcntl.h>
#include <stdarg.h>
#include <sys/ioctl.h>

#define OPENS(name, first, firsts) \
    SHOWN int name(firsts const char *path, int flags, ...) \
    { \
        mode_t mode = 0; \
        struct mapped *device = count_of_devices ? find(path) : NULL; \
        REAL(int, name, firsts const char *, int, ...); \
        if (flags & (O_CREAT | __O_TMPFILE)) { \
            va_list more; \
            va_start(more, flags); \
            mode = va_arg(more, mode_t); \
            va_end(more); \
        } \
        if (is_answered(device)) \
            return open_mapped(device, flags); \
        return real_##name(first device ? device->target : path, flags, mode); \
    }

OPENS(open, , )
OPENS(open64, , )
#define FOLDER folder,
#define FOLDERS int folder,
OPENS(openat, FOLDER, FOLDERS)
OPENS(openat64, FOLDER, FOLDERS)

SHOWN int __open_2(const char *path, int flags) { return open(path, flags); }
SHOWN int __open64_2(const char *path, int flags) { return open64(path, flags); }
SHOWN int __openat_2(int folder, const char *path, int flags) { return openat(folder, path, flags); }
SHOWN int __openat64_2(int folder, const char *path, int flags) { return openat64(folder, path, flags); }

SHOWN int dup(int file)
{
    REAL(int, dup, int);
    int other = real_dup(file);
    keep_handle(other, handle_of(file));
    return other;
}

SHOWN int dup2(int file, int other)
{
    REAL(int, dup2, int, int);
    int done = real_dup2(file, other);
    if (done != file)
        keep_handle(done, handle_of(file));
    return done;
}

SHOWN int dup3(int file, int other, int flags)
{
    REAL(int, dup3, int, int, int);
    int done = real_dup3(file, other, flags);
    keep_handle(done, handle_of(file));
    return done;
}

#define CONTROLS(name) \
    SHOWN int name(int file, int what, ...) \
    { \
        void *argument; \
        int done; \
        va_list more; \
        REAL(int, name, int, int, ...); \
        va_start(more, what); \
        argument = va_arg(more, void *); \
        va_end(more); \
        done = real_##name(file, what, argument); \
        if (what == F_DUPFD || what == F_DUPFD_CLOEXEC) \
            keep_handle(done, handle_of(file)); \
        return done; \
    }

CONTROLS(fcntl)
CONTROLS(fcntl64)

SHOWN int ioctl(int file, unsigned long request, ...)
{
    void *argument;
    uint64_t handle = handle_of(file);
    va_list more;
    REAL(int, ioctl, int, unsigned long, ...);
    va_start(more, request);
    argument = va_arg(more, void *);
    va_end(more);
    if (!handle || request == FIOCLEX || request == FIONCLEX || request == FIONBIO || request == FIOASYNC)
        return real_ioctl(file, request, argument); /* the last four are the same for all files */
    if (KIND_OF(handle) == SPI_KIND)
        return spi_control(handle, request, argument);
    return KIND_OF(handle) == I2C_KIND ? i2c_control(handle, request, argument) : gpio_control(handle, request, argument);
}

SHOWN ssize_t read(int file, void *buffer, size_t size)
{
    uint64_t handle = handle_of(file);
    REAL(ssize_t, read, int, void *, size_t);
    return handle ? read_device(file, handle, buffer, size) : real_read(file, buffer, size);
}

SHOWN ssize_t __read_chk(int file, void *buffer, size_t size, size_t room)
{
    uint64_t handle = handle_of(file);
    REAL(ssize_t, __read_chk, int, void *, size_t, size_t);
    return handle && size <= room ? read_device(file, handle, buffer, size) : real___read_chk(file, buffer, size, room);
}

SHOWN ssize_t write(int file, const void *buffer, size_t size)
{
    uint64_t handle = handle_of(file);
    REAL(ssize_t, write, int, const void *, size_t);
    return handle ? write_device(handle, buffer, size) : real_write(file, buffer, size);
}
