/* The C library's calls. The loader finds these first; what is not about a mapped device goes on to the real ones. */
#include "shim.h"
#include <dlfcn.h>
#include <fcntl.h>
#include <linux/spi/spidev.h>
#include <stdarg.h>
#include <stdlib.h>
#include <sys/syscall.h>

#define MOST_FILES 65536
#define MOST_MAPPED 64
#define MOST_KEPT 1024 /* descriptors that are looked at for what was kept over an exec */
#define SHOWN __attribute__((visibility("default")))

struct mapped { const char *path, *kind, *target; };

static struct mapped devices[MOST_MAPPED];
static int count_of_devices;
static uint64_t handles[MOST_FILES]; /* by descriptor; 0 for what is none of ours */

#define REAL(type, name, ...) \
    static type (*real_##name)(__VA_ARGS__); \
    if (!real_##name) real_##name = (type (*)(__VA_ARGS__))dlsym(RTLD_NEXT, #name)

__attribute__((constructor)) static void begin(void)
{
    char *map = getenv("CAVET_KERNEL_MAP");
    if (!map || !getenv("CAVET_KERNEL"))
        return;
    ask_at(getenv("CAVET_KERNEL"));
    map = strdup(map);
    for (char *kept, *line = strtok_r(map, "\n", &kept); line && count_of_devices < MOST_MAPPED;
         line = strtok_r(NULL, "\n", &kept)) {
        char *kind = strchr(line, '\t'), *target;
        if (!kind)
            continue;
        *kind++ = 0;
        target = strchr(kind, '\t');
        if (target)
            *target++ = 0;
        devices[count_of_devices++] = (struct mapped){line, kind, target};
    }
    for (int file = 0; file < MOST_KEPT; file++) {
        struct question asked = {.kind = WHICH};
        if (is_there(file) && ask_over(file, &asked, NULL, NULL, 0, &handles[file]))
            handles[file] = 0;
    }
}

static struct mapped *find(const char *path)
{
    for (int at = 0; path && at < count_of_devices; at++)
        if (!strcmp(devices[at].path, path))
            return &devices[at];
    return NULL;
}

static uint64_t handle_of(int file)
{
    return count_of_devices && file >= 0 && file < MOST_FILES ? handles[file] : 0;
}

static int open_mapped(struct mapped *device, int flags)
{
    struct question asked = {.size = strlen(device->path), .kind = OPEN_FILE, .first = getpid()};
    uint64_t handle = 0;
    int error, file = connect_there();
    if (file < 0)
        return failed(EIO);
    error = file >= MOST_FILES ? EMFILE : ask_over(file, &asked, device->path, NULL, 0, &handle);
    if (error) {
        syscall(SYS_close, file);
        return failed(error < 0 ? EIO : error);
    }
    if (!(flags & O_CLOEXEC))
        syscall(SYS_fcntl, file, F_SETFD, 0);
    handles[file] = handle;
    return file;
}

#define OPENS(name, first, firsts, path_at) \
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
        if (device && strcmp(device->kind, "file")) \
            return open_mapped(device, flags); \
        return real_##name(first device ? device->target : path, flags, mode); \
    }

OPENS(open, , , 0)
OPENS(open64, , , 0)
#define FOLDER folder,
#define FOLDERS int folder,
OPENS(openat, FOLDER, FOLDERS, 1)
OPENS(openat64, FOLDER, FOLDERS, 1)

SHOWN int __open_2(const char *path, int flags) { return open(path, flags); }
SHOWN int __open64_2(const char *path, int flags) { return open64(path, flags); }

SHOWN int close(int file)
{
    REAL(int, close, int);
    if (handle_of(file))
        handles[file] = 0;
    return real_close(file);
}

SHOWN int dup(int file)
{
    REAL(int, dup, int);
    int other = real_dup(file);
    if (other >= 0 && other < MOST_FILES)
        handles[other] = handle_of(file);
    return other;
}

SHOWN int dup2(int file, int other)
{
    REAL(int, dup2, int, int);
    int done = real_dup2(file, other);
    if (done >= 0 && done < MOST_FILES && done != file)
        handles[done] = handle_of(file);
    return done;
}

SHOWN int dup3(int file, int other, int flags)
{
    REAL(int, dup3, int, int, int);
    int done = real_dup3(file, other, flags);
    if (done >= 0 && done < MOST_FILES)
        handles[done] = handle_of(file);
    return done;
}

/* I2C. Source: linux/i2c-dev.h. */

SHOWN int ioctl(int file, unsigned long request, ...)
{
    void *argument;
    uint64_t handle = handle_of(file);
    va_list more;
    REAL(int, ioctl, int, unsigned long, ...);
    va_start(more, request);
    argument = va_arg(more, void *);
    va_end(more);
    if (!handle)
        return real_ioctl(file, request, argument);
    if (handle & SPI_BIT)
        return _IOC_TYPE(request) == SPI_IOC_MAGIC ? spi_control(handle, request, argument) : failed(ENOTTY);
    return i2c_control(handle, request, argument);
}

SHOWN ssize_t read(int file, void *buffer, size_t size)
{
    uint64_t handle = handle_of(file);
    REAL(ssize_t, read, int, void *, size_t);
    return handle ? plain(handle, buffer, size, 1) : real_read(file, buffer, size);
}

SHOWN ssize_t write(int file, const void *buffer, size_t size)
{
    uint64_t handle = handle_of(file);
    REAL(ssize_t, write, int, const void *, size_t);
    return handle ? plain(handle, (void *)buffer, size, 0) : real_write(file, buffer, size);
}
