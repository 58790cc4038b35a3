/* The mapped devices, and the program's descriptors that stand for them. */
#include "shim.h"
#include <dirent.h>
#include <fcntl.h>
#include <stdlib.h>
#include <sys/stat.h>
#include <sys/syscall.h>

#define MOST_MAPPED 64
#define MOST_KEPT 1024 /* descriptors that are looked at for what was kept, where the system does not list them */

int count_of_devices;
static struct mapped devices[MOST_MAPPED];
uint64_t handles[MOST_FILES];

/* A connection's number, by which the bench knows it again. */
static uint64_t inode_of(int file)
{
    struct stat about;
    return syscall(SYS_fstat, file, &about) == 0 ? about.st_ino : 0;
}

static void look_at_kept(int file)
{
    struct question asked = {.kind = WHICH};
    if (file < 0 || file >= MOST_FILES || !is_there(file))
        return;
    asked.first = inode_of(file);
    if (ask(&asked, NULL, NULL, 0, &handles[file]))
        handles[file] = 0;
}

/* What was kept open over an exec. */
static void look_for_kept(void)
{
    DIR *all = opendir("/proc/self/fd");
    for (struct dirent *each; all && (each = readdir(all));)
        look_at_kept(*each->d_name == '.' ? -1 : atoi(each->d_name));
    if (all)
        closedir(all);
    for (int file = 0; !all && file < MOST_KEPT; file++)
        look_at_kept(file);
}

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
    look_for_kept();
}

struct mapped *find(const char *path)
{
    for (int at = 0; path && at < count_of_devices; at++)
        if (!strcmp(devices[at].path, path))
            return &devices[at];
    return NULL;
}

/* Whether the bench answers for it, not another file. */
int is_answered(struct mapped *device)
{
    return device && strcmp(device->kind, "file");
}

/* The handle of a descriptor that was one of ours, if it still is. */
uint64_t looked_at(int file)
{
    return is_there(file) ? handles[file] : 0;
}

void keep_handle(int file, uint64_t handle)
{
    if (file >= 0 && file < MOST_FILES)
        handles[file] = handle;
}

/* Ask over a connection that is new; it becomes the descriptor of what is opened. */
int open_over(struct question *asked, const void *data)
{
    uint64_t handle = 0;
    int error, file = connect_there();
    if (file < 0)
        return failed(errno == EMFILE || errno == ENFILE ? errno : EIO);
    asked->second = inode_of(file);
    error = file >= MOST_FILES ? EMFILE : ask_over(file, asked, data, NULL, 0, &handle);
    if (error) {
        syscall(SYS_close, file);
        return failed(error < 0 ? EIO : error);
    }
    handles[file] = handle;
    return file;
}

int open_mapped(struct mapped *device, int flags)
{
    struct question asked = {.size = strlen(device->path), .kind = OPEN_FILE};
    int file = open_over(&asked, device->path);
    if (file >= 0 && !(flags & O_CLOEXEC))
        syscall(SYS_fcntl, file, F_SETFD, 0);
    if (file >= 0 && flags & O_NONBLOCK)
        syscall(SYS_fcntl, file, F_SETFL, O_RDWR | O_NONBLOCK);
    return file;
}

/* Plain reading and writing, on I2C and SPI. */
static ssize_t do_plain(uint64_t handle, void *buffer, size_t size, int reads, unsigned char *room)
{
    struct question asked = {.kind = reads ? READ : WRITE, .handle = handle, .first = size, .size = reads ? 0 : size};
    int error;

    if (!reads && copy_in(room, buffer, size) < 0)
        return failed(EFAULT);
    error = ask(&asked, room, room, size, NULL);
    if (error)
        return failed(error);
    return reads && copy_out(buffer, room, size) < 0 ? failed(EFAULT) : (ssize_t)size;
}

static ssize_t plain(uint64_t handle, void *buffer, size_t size, int reads)
{
    unsigned char few[256], *room;
    ssize_t done;

    if (KIND_OF(handle) == SPI_KIND && size > MOST_SPI)
        return failed(EMSGSIZE);
    size = size > MOST_BYTES ? MOST_BYTES : size;
    if (size <= sizeof few)
        return do_plain(handle, buffer, size, reads, few);
    room = take_room(size);
    done = room ? do_plain(handle, buffer, size, reads, room) : failed(ENOMEM);
    give_room(room, size);
    return done;
}

ssize_t read_device(int file, uint64_t handle, void *buffer, size_t size)
{
    return KIND_OF(handle) >= CHIP_KIND ? gpio_read(file, handle, buffer, size) : plain(handle, buffer, size, 1);
}

ssize_t write_device(uint64_t handle, const void *buffer, size_t size)
{
    return KIND_OF(handle) >= CHIP_KIND ? failed(EINVAL) : plain(handle, (void *)buffer, size, 0);
}
