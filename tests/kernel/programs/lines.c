/* Lines by the kernel's header alone, version 2: each line printed is looked at by the test. */
#include <errno.h>
#include <fcntl.h>
#include <linux/gpio.h>
#include <poll.h>
#include <stdio.h>
#include <string.h>
#include <sys/epoll.h>
#include <sys/ioctl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

enum { SEES = 4, BARE = 6, LAMP = 17, OTHER = 18 }; /* LAMP is seen by SEES */

static int chip;

#define CODE(name, call) do { long done; errno = 0; done = (call); printf(name " %ld %d\n", done, done < 0 ? errno : 0); } while (0)

static struct gpio_v2_line_request wanted(unsigned line, unsigned long long flags)
{
    struct gpio_v2_line_request request;
    memset(&request, 0, sizeof request);
    request.offsets[0] = line;
    request.num_lines = 1;
    request.config.flags = flags;
    strcpy(request.consumer, "lines");
    return request;
}

static int get(unsigned line, unsigned long long flags)
{
    struct gpio_v2_line_request request = wanted(line, flags);
    return ioctl(chip, GPIO_V2_GET_LINE_IOCTL, &request) < 0 ? -1 : request.fd;
}

static int put(int file, unsigned long long bits, unsigned long long mask)
{
    struct gpio_v2_line_values values = {bits, mask};
    return ioctl(file, GPIO_V2_LINE_SET_VALUES_IOCTL, &values);
}

static int value(int file)
{
    struct gpio_v2_line_values values = {0, 1};
    return ioctl(file, GPIO_V2_LINE_GET_VALUES_IOCTL, &values) < 0 ? -errno : (int)values.bits;
}

static struct gpio_v2_line_info about(unsigned line)
{
    struct gpio_v2_line_info info;
    memset(&info, 0, sizeof info);
    info.offset = line;
    if (ioctl(chip, GPIO_V2_GET_LINEINFO_IOCTL, &info) < 0)
        printf("no info of %u: %d\n", line, errno);
    return info;
}

static void say(const char *name, unsigned line)
{
    struct gpio_v2_line_info info = about(line);
    printf("%s '%s' '%s' %u %#llx %u\n", name, info.name, info.consumer, info.offset, (unsigned long long)info.flags, info.num_attrs);
}

static void tell(int file, const char *name)
{
    struct gpio_v2_line_event events[16];
    struct pollfd waits = {file, POLLIN, 0};
    while (poll(&waits, 1, 300) > 0) {
        ssize_t size = read(file, events, sizeof events);
        for (int n = 0; n < size / (ssize_t)sizeof *events; n++)
            printf("%s id %u line %u seqno %u %u\n", name, events[n].id, events[n].offset, events[n].seqno,
                   events[n].line_seqno);
        if (size <= 0)
            break;
    }
}

static void configs(void)
{
    struct { const char *name; unsigned long long flags; } tried[] = {
        {"both", GPIO_V2_LINE_FLAG_INPUT | GPIO_V2_LINE_FLAG_OUTPUT},
        {"edges", GPIO_V2_LINE_FLAG_EDGE_RISING},
        {"edges-out", GPIO_V2_LINE_FLAG_EDGE_RISING | GPIO_V2_LINE_FLAG_OUTPUT},
        {"drain-in", GPIO_V2_LINE_FLAG_OPEN_DRAIN | GPIO_V2_LINE_FLAG_INPUT},
        {"drain-source", GPIO_V2_LINE_FLAG_OPEN_DRAIN | GPIO_V2_LINE_FLAG_OPEN_SOURCE | GPIO_V2_LINE_FLAG_OUTPUT},
        {"bias-alone", GPIO_V2_LINE_FLAG_BIAS_PULL_UP},
        {"biases", GPIO_V2_LINE_FLAG_BIAS_PULL_UP | GPIO_V2_LINE_FLAG_BIAS_DISABLED | GPIO_V2_LINE_FLAG_INPUT},
        {"used", GPIO_V2_LINE_FLAG_USED | GPIO_V2_LINE_FLAG_INPUT},
        {"unknown", 1ULL << 40 | GPIO_V2_LINE_FLAG_INPUT},
        {"hardware", 1ULL << 12 | GPIO_V2_LINE_FLAG_INPUT},
    };
    for (unsigned n = 0; n < sizeof tried / sizeof *tried; n++) {
        int done = get(OTHER, tried[n].flags);
        printf("flags-%s %d %d\n", tried[n].name, done, done < 0 ? errno : 0);
    }
}

int main(void)
{
    struct gpiochip_info whole;
    struct gpio_v2_line_request request;
    struct gpio_v2_line_info info;
    struct gpio_v2_line_info_changed change;
    struct gpio_v2_line_config config;
    struct gpio_v2_line_values values;
    struct gpio_v2_line_event event;
    struct epoll_event ready, watch = {EPOLLIN, {0}};
    struct stat file;
    struct timespec now;
    int lamp, sees, many, other, two, status, waits;

    setvbuf(stdout, NULL, _IOLBF, 0);
    CODE("there", stat("/dev/gpiochip0", &file));
    printf("device %d\n", S_ISCHR(file.st_mode));
    chip = open("/dev/gpiochip0", O_RDWR | O_CLOEXEC);
    CODE("chip", ioctl(chip, GPIO_GET_CHIPINFO_IOCTL, &whole));
    printf("%s %s %u\n", whole.name, whole.label, whole.lines);
    say("free", LAMP);

    lamp = get(LAMP, GPIO_V2_LINE_FLAG_OUTPUT);
    printf("cloexec %d\n", fcntl(lamp, F_GETFD));
    say("output", LAMP);
    CODE("busy", get(LAMP, GPIO_V2_LINE_FLAG_OUTPUT));
    CODE("no-line", get(26, GPIO_V2_LINE_FLAG_OUTPUT));
    request = wanted(OTHER, GPIO_V2_LINE_FLAG_OUTPUT);
    request.offsets[1] = OTHER;
    request.num_lines = 2;
    CODE("twice", ioctl(chip, GPIO_V2_GET_LINE_IOCTL, &request));
    request.num_lines = 0;
    CODE("none", ioctl(chip, GPIO_V2_GET_LINE_IOCTL, &request));
    request.num_lines = 65;
    CODE("too-many", ioctl(chip, GPIO_V2_GET_LINE_IOCTL, &request));
    request = wanted(OTHER, GPIO_V2_LINE_FLAG_OUTPUT);
    request.padding[4] = 1;
    CODE("padding", ioctl(chip, GPIO_V2_GET_LINE_IOCTL, &request));
    request = wanted(OTHER, GPIO_V2_LINE_FLAG_OUTPUT);
    request.config.padding[0] = 1;
    CODE("config-padding", ioctl(chip, GPIO_V2_GET_LINE_IOCTL, &request));
    request = wanted(OTHER, GPIO_V2_LINE_FLAG_OUTPUT);
    request.config.num_attrs = 11;
    CODE("attributes", ioctl(chip, GPIO_V2_GET_LINE_IOCTL, &request));
    request = wanted(OTHER, GPIO_V2_LINE_FLAG_OUTPUT);
    request.config.num_attrs = 1;
    request.config.attrs[0].attr.id = GPIO_V2_LINE_ATTR_ID_DEBOUNCE;
    request.config.attrs[0].mask = 1;
    CODE("debounce-out", ioctl(chip, GPIO_V2_GET_LINE_IOCTL, &request));
    configs();
    CODE("pointer", ioctl(chip, GPIO_V2_GET_LINE_IOCTL, (void *)8));
    request = wanted(OTHER, GPIO_V2_LINE_FLAG_OUTPUT);
    {
        void *only_read = mmap(NULL, 4096, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
        memcpy(only_read, &request, sizeof request);
        mprotect(only_read, 4096, PROT_READ);
        CODE("read-only", ioctl(chip, GPIO_V2_GET_LINE_IOCTL, only_read));
    }
    say("left-free", OTHER);
    CODE("unknown-call", ioctl(chip, _IOWR(0xB4, 0x3F, int), &status));
    CODE("write", write(chip, "x", 1));
    CODE("line-call-on-chip", ioctl(chip, GPIO_V2_LINE_GET_VALUES_IOCTL, &values));

    /* Values, by masks. */
    request = wanted(OTHER, GPIO_V2_LINE_FLAG_OUTPUT);
    request.offsets[1] = BARE;
    request.offsets[2] = 7;
    request.num_lines = 3;
    request.config.num_attrs = 2;
    request.config.attrs[0].attr.id = GPIO_V2_LINE_ATTR_ID_OUTPUT_VALUES;
    request.config.attrs[0].attr.values = 3;
    request.config.attrs[0].mask = 3;
    request.config.attrs[1].attr.id = GPIO_V2_LINE_ATTR_ID_FLAGS;
    request.config.attrs[1].attr.flags = GPIO_V2_LINE_FLAG_INPUT | GPIO_V2_LINE_FLAG_BIAS_PULL_UP | GPIO_V2_LINE_FLAG_ACTIVE_LOW;
    request.config.attrs[1].mask = 4;
    CODE("three", ioctl(chip, GPIO_V2_GET_LINE_IOCTL, &request));
    many = request.fd;
    values = (struct gpio_v2_line_values){~0ULL, 7};
    CODE("get", ioctl(many, GPIO_V2_LINE_GET_VALUES_IOCTL, &values));
    printf("bits %#llx\n", (unsigned long long)values.bits);
    CODE("put", put(many, 2, 3));
    values = (struct gpio_v2_line_values){0, ~0ULL};
    ioctl(many, GPIO_V2_LINE_GET_VALUES_IOCTL, &values);
    printf("bits %#llx\n", (unsigned long long)values.bits);
    CODE("put-input", put(many, 7, 7));
    CODE("put-none", put(many, 7, 8));
    values = (struct gpio_v2_line_values){0, 0};
    CODE("get-none", ioctl(many, GPIO_V2_LINE_GET_VALUES_IOCTL, &values));
    CODE("values-pointer", ioctl(many, GPIO_V2_LINE_GET_VALUES_IOCTL, (void *)8));
    CODE("chip-call-on-lines", ioctl(many, GPIO_GET_CHIPINFO_IOCTL, &whole));
    CODE("write-lines", write(many, "x", 1));
    say("input", 7);
    memset(&config, 0, sizeof config);
    config.flags = GPIO_V2_LINE_FLAG_OUTPUT | GPIO_V2_LINE_FLAG_OPEN_DRAIN;
    config.num_attrs = 1;
    config.attrs[0].attr.id = GPIO_V2_LINE_ATTR_ID_FLAGS;
    config.attrs[0].mask = 6;
    CODE("config", ioctl(many, GPIO_V2_LINE_SET_CONFIG_IOCTL, &config));
    say("open-drain", OTHER);
    say("unchanged", 7);
    config.flags = GPIO_V2_LINE_FLAG_INPUT | GPIO_V2_LINE_FLAG_OPEN_DRAIN;
    CODE("wrong-config", ioctl(many, GPIO_V2_LINE_SET_CONFIG_IOCTL, &config));
    close(many);
    say("released", OTHER);

    /* Edges. */
    sees = get(SEES, GPIO_V2_LINE_FLAG_INPUT | GPIO_V2_LINE_FLAG_EDGE_RISING | GPIO_V2_LINE_FLAG_EDGE_FALLING);
    say("edges", SEES);
    printf("before %d\n", value(sees));
    CODE("short", read(sees, &event, 47));
    fcntl(sees, F_SETFL, O_NONBLOCK);
    CODE("nothing", read(sees, &event, sizeof event));
    put(lamp, 1, 1);
    tell(sees, "rise");
    printf("level %d\n", value(sees));
    put(lamp, 0, 1);
    tell(sees, "fall");
    fcntl(sees, F_SETFL, 0);
    waits = epoll_create1(0);
    epoll_ctl(waits, EPOLL_CTL_ADD, sees, &watch);
    printf("quiet %d\n", epoll_wait(waits, &ready, 1, 20));
    put(lamp, 1, 1);
    printf("woken %d\n", epoll_wait(waits, &ready, 1, 5000));
    clock_gettime(CLOCK_MONOTONIC, &now);
    CODE("event", read(sees, &event, sizeof event));
    printf("age %d\n", now.tv_sec * 1000000000LL + now.tv_nsec - (long long)event.timestamp_ns < 1000000000LL);
    printf("quiet %d\n", epoll_wait(waits, &ready, 1, 20));
    if (fork() == 0) {
        put(lamp, 0, 1); /* the child has them both */
        _exit(read(sees, &event, sizeof event) == sizeof event && event.id == GPIO_V2_LINE_EVENT_FALLING_EDGE ? 42 : 1);
    }
    wait(&status);
    printf("child %d\n", WEXITSTATUS(status));
    CODE("kept", put(lamp, 1, 1));
    tell(sees, "rise");
    two = dup(sees);
    close(sees);
    printf("dup %d\n", value(two));
    close(two);
    say("shut", SEES);

    /* Active low turns edges and levels over; the buffer keeps the newest. */
    request = wanted(SEES, GPIO_V2_LINE_FLAG_INPUT | GPIO_V2_LINE_FLAG_ACTIVE_LOW | GPIO_V2_LINE_FLAG_EDGE_RISING |
                               GPIO_V2_LINE_FLAG_EVENT_CLOCK_REALTIME);
    request.event_buffer_size = 2;
    ioctl(chip, GPIO_V2_GET_LINE_IOCTL, &request);
    for (int n = 0; n < 4; n++) {
        put(lamp, 0, 1);
        while (value(request.fd) != 1)
            ;
        put(lamp, 1, 1);
        while (value(request.fd) != 0)
            ;
    }
    tell(request.fd, "newest");
    close(request.fd);

    /* Debounce: what does not stay does not count. */
    put(lamp, 0, 1);
    sees = get(SEES, GPIO_V2_LINE_FLAG_INPUT);
    while (value(sees) != 0)
        ;
    close(sees);
    request = wanted(SEES, GPIO_V2_LINE_FLAG_INPUT | GPIO_V2_LINE_FLAG_EDGE_RISING | GPIO_V2_LINE_FLAG_EDGE_FALLING);
    request.config.num_attrs = 1;
    request.config.attrs[0].attr.id = GPIO_V2_LINE_ATTR_ID_DEBOUNCE;
    request.config.attrs[0].attr.debounce_period_us = 150000;
    request.config.attrs[0].mask = 1;
    CODE("again", ioctl(chip, GPIO_V2_GET_LINE_IOCTL, &request));
    info = about(SEES);
    printf("debounce %u %u %u\n", info.num_attrs, info.attrs[0].id, info.attrs[0].debounce_period_us);
    put(lamp, 1, 1);
    put(lamp, 0, 1);
    put(lamp, 1, 1);
    printf("not-yet %d\n", value(request.fd));
    tell(request.fd, "settled");
    printf("now %d\n", value(request.fd));
    close(request.fd);

    /* Changes of lines. */
    memset(&info, 0, sizeof info);
    info.offset = OTHER;
    CODE("watch", ioctl(chip, GPIO_V2_GET_LINEINFO_WATCH_IOCTL, &info));
    CODE("watch-again", ioctl(chip, GPIO_V2_GET_LINEINFO_WATCH_IOCTL, &info));
    {
        struct gpioline_info old = {.line_offset = OTHER};
        CODE("watch-old", ioctl(chip, GPIO_GET_LINEINFO_WATCH_IOCTL, &old));
    }
    other = get(OTHER, GPIO_V2_LINE_FLAG_OUTPUT);
    memset(&config, 0, sizeof config);
    config.flags = GPIO_V2_LINE_FLAG_INPUT;
    ioctl(other, GPIO_V2_LINE_SET_CONFIG_IOCTL, &config);
    close(other);
    for (int n = 0; n < 3; n++) {
        CODE("changed", read(chip, &change, sizeof change));
        printf("change %u of %u %#llx '%s'\n", change.event_type, change.info.offset,
               (unsigned long long)change.info.flags, change.info.consumer);
    }
    status = OTHER;
    CODE("unwatch", ioctl(chip, GPIO_GET_LINEINFO_UNWATCH_IOCTL, &status));
    CODE("unwatch-again", ioctl(chip, GPIO_GET_LINEINFO_UNWATCH_IOCTL, &status));
    put(lamp, 1, 1);
    return 5; /* the lamp is lit: its line falls back with us */
}
