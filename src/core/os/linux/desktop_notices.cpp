// SPDX-License-Identifier: GPL-3.0-or-later
#include <systemd/sd-bus.h>

#include <cerrno>

#include "core/os/notices.h"

namespace zt {

namespace {

constexpr const char* service = "org.freedesktop.Notifications";
constexpr const char* object = "/org/freedesktop/Notifications";

struct Unref {
  void operator()(sd_bus* bus) const { sd_bus_flush_close_unref(bus); }
  void operator()(sd_bus_message* message) const { sd_bus_message_unref(message); }
  void operator()(sd_bus_slot* slot) const { sd_bus_slot_unref(slot); }
};

/// What became of the one notification.
struct Fate {
  std::uint32_t id = 0;
  bool opened = false;
  bool closed = false;
};

int heard(sd_bus_message* message, void* data, sd_bus_error*) {
  Fate& fate = *static_cast<Fate*>(data);
  std::uint32_t id = 0;
  if (sd_bus_message_read(message, "u", &id) < 0 || id != fate.id) return 0;
  const bool action = sd_bus_message_is_signal(message, service, "ActionInvoked") > 0;
  (action ? fate.opened : fate.closed) = true;
  return 0;
}

class DesktopNotices final : public Notices {
public:
  Result<bool> show(const Notice& notice, std::chrono::seconds patience, std::stop_token stop) override {
    sd_bus* opened = nullptr;
    if (sd_bus_open_user(&opened) < 0) return fail(Errc::unsupported, "notify");
    const std::unique_ptr<sd_bus, Unref> bus(opened);
    Fate fate;
    std::unique_ptr<sd_bus_slot, Unref> slots[2];
    // Asked for before it is shown, so that no answer comes too early to be heard.
    for (int i = 0; i < 2; ++i) {
      sd_bus_slot* slot = nullptr;
      if (sd_bus_match_signal(bus.get(), &slot, nullptr, object, service,
                              i == 0 ? "ActionInvoked" : "NotificationClosed", heard, &fate) < 0)
        return fail(Errc::unsupported, "notify");
      slots[i].reset(slot);
    }
    sd_bus_message* answer = nullptr;
    const int sent = sd_bus_call_method(bus.get(), service, object, service, "Notify", nullptr, &answer,
                                        "susssasa{sv}i", "Zip Tally", std::uint32_t{0},
                                        "org.ziptally.ZipTally", notice.title.c_str(), notice.text.c_str(),
                                        std::size_t{2}, "default", notice.open.c_str(), std::size_t{0}, -1);
    const std::unique_ptr<sd_bus_message, Unref> kept(answer);
    if (sent < 0 || sd_bus_message_read(answer, "u", &fate.id) < 0) return fail(Errc::unsupported, "notify");
    const auto end = std::chrono::steady_clock::now() + patience;
    while (!fate.opened && !fate.closed && !stop.stop_requested() && std::chrono::steady_clock::now() < end) {
      const int done = sd_bus_process(bus.get(), nullptr);
      constexpr std::uint64_t moment = 200'000;  // microseconds
      if (done < 0 || (done == 0 && sd_bus_wait(bus.get(), moment) < 0)) break;
    }
    return fate.opened;
  }
};

}  // namespace

std::shared_ptr<Notices> desktopNotices() {
  return std::make_shared<DesktopNotices>();
}

}  // namespace zt
