/* Streams of the C library over mapped devices: its own would read and write behind our back. */
#include "shim.h"
#include <fcntl.h>
#include <stdio.h>

#define MOST_STREAMS 64

static struct { FILE *stream; int file; } streams[MOST_STREAMS];

static ssize_t stream_reads(void *cookie, char *buffer, size_t size)
{
    return read((int)(intptr_t)cookie, buffer, size);
}

static ssize_t stream_writes(void *cookie, const char *buffer, size_t size)
{
    ssize_t done = write((int)(intptr_t)cookie, buffer, size);
    return done < 0 ? 0 : done;
}

static int stream_ends(void *cookie)
{
    int file = (int)(intptr_t)cookie;
    for (int at = 0; at < MOST_STREAMS; at++)
        if (streams[at].stream && streams[at].file == file)
            streams[at].stream = NULL;
    return close(file);
}

static FILE *stream_over(int file, const char *mode)
{
    cookie_io_functions_t calls = {stream_reads, stream_writes, NULL, stream_ends};
    for (int at = 0; at < MOST_STREAMS; at++) {
        if (streams[at].stream)
            continue;
        streams[at].file = file;
        return streams[at].stream = fopencookie((void *)(intptr_t)file, mode, calls);
    }
    failed(EMFILE);
    return NULL;
}

#define STREAMS(name) \
    SHOWN FILE *name(const char *path, const char *mode) \
    { \
        struct mapped *device = count_of_devices ? find(path) : NULL; \
        REAL(FILE *, name, const char *, const char *); \
        if (is_answered(device)) { \
            int flags = strchr(mode, '+') ? O_RDWR : *mode == 'r' ? O_RDONLY : O_WRONLY; \
            int file = open_mapped(device, flags | (strchr(mode, 'e') ? O_CLOEXEC : 0)); \
            return file < 0 ? NULL : stream_over(file, mode); \
        } \
        return real_##name(device ? device->target : path, mode); \
    }

STREAMS(fopen)
STREAMS(fopen64)

SHOWN FILE *fdopen(int file, const char *mode)
{
    REAL(FILE *, fdopen, int, const char *);
    return handle_of(file) ? stream_over(file, mode) : real_fdopen(file, mode);
}

#define NUMBERS(name) \
    SHOWN int name(FILE *stream) \
    { \
        REAL(int, name, FILE *); \
        for (int at = 0; count_of_devices && at < MOST_STREAMS; at++) \
            if (streams[at].stream == stream) \
                return streams[at].file; \
        return real_##name(stream); \
    }

NUMBERS(fileno)
NUMBERS(fileno_unlocked)
