/* Lines by the kernel's header alone, version 1: handles and events, as older programs have them. */
#include <errno.h>
#include <fcntl.h>
#include <linux/gpio.h>
#include <poll.h>
#include <stdio.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

enum { SEES = 4, LAMP = 17, OTHER = 18 };

static int chip;

#define CODE(name, call) do { long done; errno = 0; done = (call); printf(name " %ld %d\n", done, done < 0 ? errno : 0); } while (0)

static int handle(unsigned line, unsigned flags, int value)
{
    struct gpiohandle_request request;
    memset(&request, 0, sizeof request);
    request.lineoffsets[0] = line;
    request.lineoffsets[1] = line + 1;
    request.default_values[0] = value;
    request.flags = flags;
    request.lines = line == OTHER ? 2 : 1;
    strcpy(request.consumer_label, "handles");
    return ioctl(chip, GPIO_GET_LINEHANDLE_IOCTL, &request) < 0 ? -1 : request.fd;
}

static void say(const char *name, unsigned line)
{
    struct gpioline_info info = {.line_offset = line};
    ioctl(chip, GPIO_GET_LINEINFO_IOCTL, &info);
    printf("%s '%s' '%s' %u %#x\n", name, info.name, info.consumer, info.line_offset, info.flags);
}

int main(void)
{
    struct gpiohandle_data data;
    struct gpiohandle_config config;
    struct gpioevent_request edges;
    struct gpioevent_data event;
    struct gpioline_info_changed change;
    struct gpioline_info info;
    struct pollfd waits;
    int lamp, two, dark;

    setvbuf(stdout, NULL, _IOLBF, 0);
    chip = open("/dev/gpiochip0", O_RDONLY);
    lamp = handle(LAMP, GPIOHANDLE_REQUEST_OUTPUT, 1);
    say("lit", LAMP);
    CODE("values", ioctl(lamp, GPIOHANDLE_GET_LINE_VALUES_IOCTL, &data));
    printf("is %d\n", data.values[0]);
    CODE("read", read(lamp, &data, sizeof data));
    CODE("both", handle(OTHER, GPIOHANDLE_REQUEST_INPUT | GPIOHANDLE_REQUEST_OUTPUT, 0));
    CODE("drain", handle(OTHER, GPIOHANDLE_REQUEST_INPUT | GPIOHANDLE_REQUEST_OPEN_DRAIN, 0));
    CODE("bias", handle(OTHER, GPIOHANDLE_REQUEST_BIAS_PULL_UP, 0));
    CODE("unknown", handle(OTHER, 1 << 8, 0));
    CODE("busy", handle(LAMP, GPIOHANDLE_REQUEST_OUTPUT, 0));
    two = handle(OTHER, GPIOHANDLE_REQUEST_INPUT | GPIOHANDLE_REQUEST_BIAS_PULL_UP | GPIOHANDLE_REQUEST_ACTIVE_LOW, 0);
    say("inputs", OTHER + 1);
    memset(&data, 9, sizeof data);
    CODE("values", ioctl(two, GPIOHANDLE_GET_LINE_VALUES_IOCTL, &data));
    printf("are %d %d %d\n", data.values[0], data.values[1], data.values[2]);
    CODE("put-input", ioctl(two, GPIOHANDLE_SET_LINE_VALUES_IOCTL, &data));
    memset(&config, 0, sizeof config);
    config.flags = GPIOHANDLE_REQUEST_OUTPUT;
    config.default_values[1] = 1;
    CODE("config", ioctl(two, GPIOHANDLE_SET_CONFIG_IOCTL, &config));
    ioctl(two, GPIOHANDLE_GET_LINE_VALUES_IOCTL, &data);
    printf("are %d %d\n", data.values[0], data.values[1]);
    data.values[0] = 7;
    data.values[1] = 0;
    CODE("put", ioctl(two, GPIOHANDLE_SET_LINE_VALUES_IOCTL, &data));
    ioctl(two, GPIOHANDLE_GET_LINE_VALUES_IOCTL, &data);
    printf("are %d %d\n", data.values[0], data.values[1]);

    data.values[0] = 0;
    ioctl(lamp, GPIOHANDLE_SET_LINE_VALUES_IOCTL, &data);
    dark = handle(SEES, GPIOHANDLE_REQUEST_INPUT, 0);
    do
        ioctl(dark, GPIOHANDLE_GET_LINE_VALUES_IOCTL, &data);
    while (data.values[0]);
    close(dark);
    memset(&edges, 0, sizeof edges);
    edges.lineoffset = SEES;
    edges.handleflags = GPIOHANDLE_REQUEST_OUTPUT;
    edges.eventflags = GPIOEVENT_REQUEST_BOTH_EDGES;
    CODE("edges-out", ioctl(chip, GPIO_GET_LINEEVENT_IOCTL, &edges));
    edges.handleflags = GPIOHANDLE_REQUEST_INPUT;
    edges.eventflags = 4;
    CODE("edges-unknown", ioctl(chip, GPIO_GET_LINEEVENT_IOCTL, &edges));
    edges.eventflags = GPIOEVENT_REQUEST_FALLING_EDGE;
    CODE("edges", ioctl(chip, GPIO_GET_LINEEVENT_IOCTL, &edges));
    say("unnamed", SEES);
    CODE("short", read(edges.fd, &event, sizeof event - 1));
    data.values[0] = 1;
    ioctl(lamp, GPIOHANDLE_SET_LINE_VALUES_IOCTL, &data);
    do
        ioctl(edges.fd, GPIOHANDLE_GET_LINE_VALUES_IOCTL, &data);
    while (!data.values[0]);
    data.values[0] = 0;
    ioctl(lamp, GPIOHANDLE_SET_LINE_VALUES_IOCTL, &data);
    waits = (struct pollfd){edges.fd, POLLIN, 0};
    printf("woken %d\n", poll(&waits, 1, 5000));
    CODE("event", read(edges.fd, &event, sizeof event));
    printf("id %u\n", event.id);
    printf("quiet %d\n", poll(&waits, 1, 20));
    CODE("put-event", ioctl(edges.fd, GPIOHANDLE_SET_LINE_VALUES_IOCTL, &data));

    memset(&info, 0, sizeof info);
    info.line_offset = OTHER;
    CODE("watch", ioctl(chip, GPIO_GET_LINEINFO_WATCH_IOCTL, &info));
    close(two);
    CODE("changed-short", read(chip, &change, sizeof change - 1));
    CODE("changed", read(chip, &change, sizeof change));
    printf("change %u of %u %#x\n", change.event_type, change.info.line_offset, change.info.flags);
    return 0;
}
