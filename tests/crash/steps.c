/* Counts the steps that a process takes on files below one folder, and at one of them ends the
   process or lets the step fail. Loaded before everything else (LD_PRELOAD), so that it sees what
   any library does, whatever it is written in.

   steps_begin(folder, number of the step from 1 or 0 for none, errno or 0 to end there as by
   kill -9) begins to count; steps_taken() tells how many there were.                          */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <stdarg.h>
#include <stdatomic.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/types.h>
#include <sys/stat.h>
#include <unistd.h>

static atomic_int steps;
static char root[4096];
static int at, fault;

/* The same from within: a process that is loaded once is copied for each step. */
void steps_begin(const char *folder, int number, int error) {
  snprintf(root, sizeof root, "%s", folder);
  at = number;
  fault = error;
  atomic_store(&steps, 0);
}
int steps_taken(void) { return atomic_load(&steps); }

static int inside(const char *path) {
  if (!root[0] || !path) return 0;
  char whole[8192];
  if (path[0] != '/') {
    if (!getcwd(whole, sizeof whole - 1)) return 0;
    size_t n = strlen(whole);
    snprintf(whole + n, sizeof whole - n, "/%s", path);
    path = whole;
  }
  return strncmp(path, root, strlen(root)) == 0;
}

static int inside_fd(int fd) {
  char link[64], path[4096];
  snprintf(link, sizeof link, "/proc/self/fd/%d", fd);
  ssize_t n = readlink(link, path, sizeof path - 1);
  if (n < 0) return 0;
  path[n] = 0;
  return path[0] == '/' && inside(path); /* pipes and the like have no path */
}

/* One step: 0 to go on, else the step fails with errno set. */
static int step(void) {
  int n = atomic_fetch_add(&steps, 1) + 1;
  if (n != at) return 0;
  if (!fault) kill(getpid(), SIGKILL);
  errno = fault;
  return 1;
}

#define REAL(name) static __typeof__(&name) real; if (!real) real = dlsym(RTLD_NEXT, #name)

static int writes(int flags) { return (flags & O_ACCMODE) != O_RDONLY || (flags & O_CREAT); }

#define OPENS(name)                                                            \
  int name(const char *path, int flags, ...) {                                 \
    REAL(name);                                                                \
    va_list more; va_start(more, flags); mode_t mode = va_arg(more, mode_t); va_end(more); \
    if (writes(flags) && inside(path) && step()) return -1;                    \
    return real(path, flags, mode);                                            \
  }
OPENS(open)
OPENS(open64)
#define OPENSAT(name)                                                          \
  int name(int dir, const char *path, int flags, ...) {                        \
    REAL(name);                                                                \
    va_list more; va_start(more, flags); mode_t mode = va_arg(more, mode_t); va_end(more); \
    if (writes(flags) && inside(path) && step()) return -1;                    \
    return real(dir, path, flags, mode);                                       \
  }
OPENSAT(openat)
OPENSAT(openat64)
ssize_t write(int fd, const void *data, size_t size) {
  REAL(write);
  if (fd > 2 && inside_fd(fd) && step()) return -1;
  return real(fd, data, size);
}
ssize_t pwrite64(int fd, const void *data, size_t size, off64_t place) {
  REAL(pwrite64);
  if (inside_fd(fd) && step()) return -1;
  return real(fd, data, size, place);
}
int fsync(int fd) { REAL(fsync); if (inside_fd(fd) && step()) return -1; return real(fd); }
int fdatasync(int fd) { REAL(fdatasync); if (inside_fd(fd) && step()) return -1; return real(fd); }
int ftruncate64(int fd, off64_t size) {
  REAL(ftruncate64);
  if (inside_fd(fd) && step()) return -1;
  return real(fd, size);
}
int rename(const char *from, const char *to) {
  REAL(rename);
  if (inside(to) && step()) return -1;
  return real(from, to);
}
int unlink(const char *path) {
  REAL(unlink);
  if (inside(path) && step()) return -1;
  return real(path);
}
int unlinkat(int dir, const char *path, int flags) {
  REAL(unlinkat);
  if (inside(path) && step()) return -1;
  return real(dir, path, flags);
}
int mkdir(const char *path, mode_t mode) {
  REAL(mkdir);
  if (inside(path) && step()) return -1;
  return real(path, mode);
}
int rmdir(const char *path) {
  REAL(rmdir);
  if (inside(path) && step()) return -1;
  return real(path);
}
int chmod(const char *path, mode_t mode) {
  REAL(chmod);
  if (inside(path) && step()) return -1;
  return real(path, mode);
}
