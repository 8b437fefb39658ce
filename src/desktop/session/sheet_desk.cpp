// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/sheet_desk.h"

namespace zt::desktop {

void SheetDesk::gather(std::function<void(const SheetFacts&)> then) {
  auto facts = std::make_shared<SheetFacts>();
  session_.post(
      Session::Work::opening,
      [facts, workshop = session_.workshop()](std::unique_ptr<Job>& job, std::stop_token) -> Result<void> {
        if (!job) return fail(Errc::notThere, "sheet");
        auto gathered = sheetFacts(*job, workshop);
        if (!gathered) return tl::unexpected(gathered.error());
        *facts = std::move(*gathered);
        return {};
      },
      [facts, then = std::move(then)] { then(*facts); });
}

Result<void> SheetDesk::sayShop(const std::string& name, const std::optional<PathBytes>& logo) {
  const auto& visits = session_.workshop().visits;
  if (logo && !logo->empty())
    if (auto fits = logoFrom(*logo); !fits) return tl::unexpected(fits.error());
  if (!visits) return {};
  if (logo)
    if (auto said = visits->say("shop-logo", *logo); !said) return said;
  return visits->say("shop-name", name);
}

}  // namespace zt::desktop
