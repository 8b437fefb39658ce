// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/base/lines.h"
#include "core/detect/detectors.h"
#include "core/detect/place_finds.h"

namespace zt {

namespace {

constexpr std::size_t mostSettings = std::size_t{256} * 1024;

/// What a system's own settings say of its memory files. Nothing is run.
class Settings {
public:
  Settings(const DetectInput& input, const PathBytes& system) : input_(input), system_(system) {}

  /// "fstab", "unit", "none"; empty where nobody can tell.
  std::string setUp(std::string_view file) const {
    const auto fstab = read("etc", "fstab");
    if (!fstab) return {};
    const std::string path = "/" + std::string(file);
    bool named = false;
    eachLine(*fstab, [&](std::string_view line) {
      const auto begin = line.find_first_not_of(" \t");
      if (begin == std::string_view::npos || line[begin] == '#') return;
      const auto words = line.substr(begin);
      named = named || (words.starts_with(path) && words.size() > path.size() &&
                        (words[path.size()] == ' ' || words[path.size()] == '\t'));
    });
    if (named) return "fstab";
    // systemd.swap(5): the unit's name is the path, with dashes for slashes.
    std::string unit(file);
    for (char& c : unit) c = c == '/' ? '-' : c;
    return input_.context->tree.find(joinPath(system_, "etc/systemd/system/" + unit + ".swap")) ? "unit"
                                                                                                : "none";
  }

  /// Whether the system is set up to look for a saved session when it starts.
  bool resumes() const {
    const auto says = [](const Result<std::string>& text, std::string_view word) {
      bool found = false;
      if (text)
        eachLine(*text, [&](std::string_view line) {
          const auto at = line.find(word);
          found = found || (at != std::string_view::npos && line.find('#') > at &&
                            line.find("resume=none") == std::string_view::npos);
        });
      return found;
    };
    return says(read("etc/default", "grub"), "resume=") ||
           says(read("etc/initramfs-tools/conf.d", "resume"), "RESUME=/") ||
           says(read("etc/initramfs-tools/conf.d", "resume"), "RESUME=UUID") ||
           says(read("etc/kernel", "cmdline"), "resume=");
  }

private:
  Result<std::string> read(std::string_view folder, std::string_view name) const {
    if (!input_.files || !input_.root) return fail(Errc::notThere, "settings");
    const auto at = input_.files->openBeneath(*input_.root, joinPath(system_, PathBytes(folder)));
    return at ? input_.files->readFile(**at, name, mostSettings)
              : Result<std::string>(tl::unexpected(at.error()));
  }
  const DetectInput& input_;
  PathBytes system_;
};

/// Swap files, page files and images of sleeping sessions, by the places that know them: whether they are in
/// use and set up, and against the memory of the machine where that is this one.
class MemoryFiles final : public Detector {
public:
  std::string_view id() const override { return "memory-files"; }
  Result<void> detect(const DetectInput& input, const FindSink& sink,
                      const std::stop_token& stop) const override {
    const FindContext& c = *input.context;
    return PlaceFinds(input, id())
        .give(
            [&](Find find) {
              if (c.options.machine.memory > 0)
                find.facts.push_back({"installed-memory", std::uint64_t{c.options.machine.memory}});
              sayState(input, find);
              find.likelihood = 30;
              if (isSwap(c, find)) asSetting(find);
              return sink(std::move(find));
            },
            stop);
  }

private:
  /// Whether the kernel swaps to it now.
  static bool isSwap(const FindContext& c, const Find& find) {
    if (find.items.size() != 1) return false;
    const auto held = c.heldBy.find(find.items[0].node);
    return held != c.heldBy.end() && held->second == "swap";
  }
  /// Not the file goes, which the system needs as long as it uses it, but the setting that uses it.
  static void asSetting(Find& find) {
    const Bytes bytes = find.items[0].occupied;
    find.items[0].kind = SubjectKind::memory;
    find.items[0].node = noNode;
    find.standing = find.judged = Standing::ownersCall;
    find.regret = Regret::timeOrBandwidth;
    find.gain = {bytes, bytes, GainTime::now};
    find.offers = {{"switch-off", {}, find.gain, {}}, {"advise", {}, {}, {"live"}}};
    find.closed.clear();
  }
  static void sayState(const DetectInput& input, Find& find) {
    const FindContext& c = *input.context;
    const Subject& file = find.items.front();
    const bool used = c.heldBy.contains(file.node);
    if (c.options.live || used) find.facts.push_back({"memory-use", std::string(used ? "now" : "not-now")});
    for (const SystemRoot& system : c.places.systems()) {
      if (system.family != SystemFamily::linuxFamily || !system.certain || !system.prefix.empty()) continue;
      if (!system.at.empty() && !beneath(file.path, system.at)) continue;
      const Settings settings(input, system.at);
      const auto inside = system.at.empty() ? file.path : file.path.substr(system.at.size() + 1);
      if (std::string by = settings.setUp(inside); !by.empty())
        find.facts.push_back({"memory-set-up", std::move(by)});
      if (settings.resumes()) find.facts.push_back({"memory-resume", std::uint64_t{1}});
      return;
    }
    if (c.options.head && lowered(baseName(file.path)) == "hiberfil.sys") {
      const auto head = c.options.head(file.node, 4);
      if (head && head->size() == 4) {
        const bool awake = lowered(*head) == "wake" || *head == std::string(4, '\0');
        find.facts.push_back({"memory-session", std::string(awake ? "none" : "saved")});
      }
    }
  }
};

}  // namespace

std::shared_ptr<const Detector> memoryFilesDetector() {
  return std::make_shared<MemoryFiles>();
}

}  // namespace zt
