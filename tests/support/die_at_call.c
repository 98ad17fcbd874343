/* Preloaded into a program: ends it at the n-th call that changes a file (DIE_AT_CALL=n), as a
 * kill or a power cut would, and counts the calls otherwise (the count is written to the file
 * DIE_COUNT_FILE). */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <fcntl.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/stat.h>
#include <sys/types.h>
#include <unistd.h>

static long calls;

static void step(void) {
    const char* at = getenv("DIE_AT_CALL");
    ++calls;
    if (at && calls == atol(at)) _exit(99);
}

__attribute__((destructor)) static void tell(void) {
    const char* name = getenv("DIE_COUNT_FILE");
    FILE* file = name ? fopen(name, "w") : NULL;
    if (!file) return;
    fprintf(file, "%ld", calls);
    fclose(file);
}

static int opened(const char* symbol, const char* path, int flags, mode_t mode) {
    int (*real)(const char*, int, ...) = (int (*)(const char*, int, ...))dlsym(RTLD_NEXT, symbol);
    if (flags & (O_WRONLY | O_RDWR | O_CREAT)) step();
    return real(path, flags, mode);
}

int open(const char* path, int flags, ...) {
    va_list list;
    va_start(list, flags);
    const mode_t mode = flags & O_CREAT ? (mode_t)va_arg(list, int) : 0;
    va_end(list);
    return opened("open", path, flags, mode);
}
int open64(const char* path, int flags, ...) {
    va_list list;
    va_start(list, flags);
    const mode_t mode = flags & O_CREAT ? (mode_t)va_arg(list, int) : 0;
    va_end(list);
    return opened("open64", path, flags, mode);
}

#define BEFORE(result, name, parameters, arguments)                             \
    result name parameters {                                                    \
        result(*real) parameters = (result(*) parameters)dlsym(RTLD_NEXT, #name); \
        step();                                                                 \
        return real arguments;                                                  \
    }

BEFORE(int, fsync, (int file), (file))
BEFORE(int, rename, (const char* from, const char* to), (from, to))
BEFORE(int, unlink, (const char* path), (path))
BEFORE(int, remove, (const char* path), (path))
BEFORE(int, fchmod, (int file, mode_t mode), (file, mode))

ssize_t write(int file, const void* data, size_t size) {
    ssize_t (*real)(int, const void*, size_t) =
        (ssize_t(*)(int, const void*, size_t))dlsym(RTLD_NEXT, "write");
    if (file > 2) step();
    return real(file, data, size);
}
