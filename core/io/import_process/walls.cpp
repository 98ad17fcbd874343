#include "walls.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <linux/landlock.h>
#include <sched.h>
#include <seccomp.h>
#include <sys/prctl.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <cerrno>
#include <initializer_list>

namespace flentro {
namespace {

#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
constexpr bool kSanitized = true;
#else
constexpr bool kSanitized = false;
#endif

namespace fs = std::filesystem;

constexpr std::uint64_t kRead = LANDLOCK_ACCESS_FS_READ_FILE | LANDLOCK_ACCESS_FS_READ_DIR;
constexpr std::uint64_t kWrite =
    LANDLOCK_ACCESS_FS_WRITE_FILE | LANDLOCK_ACCESS_FS_MAKE_REG | LANDLOCK_ACCESS_FS_REMOVE_FILE;
constexpr std::uint64_t kAll =
    kRead | kWrite | LANDLOCK_ACCESS_FS_EXECUTE | LANDLOCK_ACCESS_FS_REMOVE_DIR |
    LANDLOCK_ACCESS_FS_MAKE_CHAR | LANDLOCK_ACCESS_FS_MAKE_DIR | LANDLOCK_ACCESS_FS_MAKE_SOCK |
    LANDLOCK_ACCESS_FS_MAKE_FIFO | LANDLOCK_ACCESS_FS_MAKE_BLOCK | LANDLOCK_ACCESS_FS_MAKE_SYM;
// Rights that the kernel headers of Debian 12 do not define.
constexpr std::uint64_t kRefer = 1ULL << 13U;     ///< From version 2.
constexpr std::uint64_t kTruncate = 1ULL << 14U;  ///< From version 3.

/// Version of the kernel's interface; 0: none.
int landlockVersion() {
    const long version =
        ::syscall(SYS_landlock_create_ruleset, nullptr, 0, LANDLOCK_CREATE_RULESET_VERSION);
    return version > 0 ? static_cast<int>(version) : 0;
}

/// A file is given the rights that files have. False where it cannot be.
bool allow(int rules, const fs::path& path, std::uint64_t rights) {
    const int at = ::open(path.c_str(), O_PATH | O_CLOEXEC);
    if (at < 0) return false;
    landlock_path_beneath_attr rule{};
    rule.allowed_access = rights;
    rule.parent_fd = at;
    const bool done =
        ::syscall(SYS_landlock_add_rule, rules, LANDLOCK_RULE_PATH_BENEATH, &rule, 0) == 0;
    ::close(at);
    return done;
}

bool wallFiles(const WallSettings& settings) {
    const int version = landlockVersion();
    if (version == 0) return false;
    landlock_ruleset_attr handled{};
    handled.handled_access_fs = kAll | (version >= 2 ? kRefer : 0) | (version >= 3 ? kTruncate : 0);
    const auto rules =
        static_cast<int>(::syscall(SYS_landlock_create_ruleset, &handled, sizeof(handled), 0));
    if (rules < 0) return false;
    std::error_code error;
    const bool done =
        allow(rules, settings.scene.parent_path(), kRead) &&
        allow(rules, fs::weakly_canonical(settings.scene, error), LANDLOCK_ACCESS_FS_READ_FILE) &&
        allow(rules, settings.results, kRead | kWrite | (version >= 3 ? kTruncate : 0)) &&
        ::syscall(SYS_landlock_restrict_self, rules, 0) == 0;
    ::close(rules);
    return done;
}

bool wallCalls() {
    const scmp_filter_ctx filter = seccomp_init(SCMP_ACT_ALLOW);
    if (!filter) return false;
    bool done = true;
    for (const int call : {SCMP_SYS(socket),
                           SCMP_SYS(socketpair),
                           SCMP_SYS(connect),
                           SCMP_SYS(bind),
                           SCMP_SYS(execve),
                           SCMP_SYS(execveat),
                           SCMP_SYS(fork),
                           SCMP_SYS(vfork),
                           SCMP_SYS(ptrace),
                           SCMP_SYS(process_vm_readv),
                           SCMP_SYS(process_vm_writev),
                           SCMP_SYS(mount),
                           SCMP_SYS(umount2),
                           SCMP_SYS(pivot_root),
                           SCMP_SYS(chroot),
                           SCMP_SYS(keyctl),
                           SCMP_SYS(add_key),
                           SCMP_SYS(request_key),
                           SCMP_SYS(bpf),
                           SCMP_SYS(io_uring_setup),
                           SCMP_SYS(userfaultfd),
                           SCMP_SYS(perf_event_open)})
        done = seccomp_rule_add(filter, SCMP_ACT_ERRNO(EACCES), call, 0) == 0 && done;
    // Threads may be made, processes not; what hides its flags in memory falls back to what shows
    // them.
    done = seccomp_rule_add(filter, SCMP_ACT_ERRNO(ENOSYS), SCMP_SYS(clone3), 0) == 0 && done;
    done = seccomp_rule_add(filter, SCMP_ACT_ERRNO(EACCES), SCMP_SYS(clone), 1,
                            SCMP_A0(SCMP_CMP_MASKED_EQ, CLONE_THREAD, 0)) == 0 &&
           done;
    done = done && seccomp_load(filter) == 0;
    seccomp_release(filter);
    return done;
}

}  // namespace

Walls raiseWalls(const WallSettings& settings) {
    if (kSanitized || ::prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) != 0) return {};
    Walls walls;
    walls.files = wallFiles(settings);
    walls.calls = wallCalls();
    return walls;
}

std::string describeWalls() {
    if (kSanitized) return "none: built with sanitizers";
    const int version = landlockVersion();
    const bool hasCalls = seccomp_api_get() > 0;
    return fmt::format(
        "files: {}; calls: {}",
        version > 0 ? fmt::format("Landlock {}", version) : "open, the kernel has no Landlock",
        hasCalls ? "seccomp" : "open, the kernel has no seccomp filters");
}

}  // namespace flentro
