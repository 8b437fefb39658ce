// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/exchange_desk.h"

#include <QFile>
#include <QSaveFile>
#include <cerrno>

#include "core/survey/files/exchange.h"

namespace zt::desktop {

void ExchangeDesk::importSurvey(const PathBytes& file, const PathBytes& jobFile) {
  session_.post(Session::Work::opening,
                [workshop = session_.workshop(), file, jobFile](std::unique_ptr<Job>& slot,
                                                                std::stop_token) -> Result<void> {
                  const auto form = exchangeFormOf(file);
                  if (!form) return fail(Errc::badInput, "import", file, "*.jsonl.zst, *.csv");
                  QFile in(QFile::decodeName(QByteArray::fromStdString(file)));
                  if (!in.open(QIODevice::ReadOnly)) return fail(Errc::notThere, "import", file);
                  auto survey = zt::importSurvey(*form, [&]() -> std::optional<std::string> {
                    const QByteArray piece = in.read(1 << 18);
                    if (piece.isEmpty() && in.error() != QFileDevice::NoError) return std::nullopt;
                    return piece.toStdString();
                  });
                  if (!survey) {
                    survey.error().path = file;
                    return tl::unexpected(survey.error());
                  }
                  auto job = Job::createImported(workshop, std::move(*survey), jobFile);
                  if (!job) return tl::unexpected(job.error());
                  slot = std::move(*job);
                  return {};
                });
}

void ExchangeDesk::exportSurvey(const PathBytes& file) {
  session_.post(
      Session::Work::opening,
      [file](std::unique_ptr<Job>& job, std::stop_token) -> Result<void> {
        const auto form = exchangeFormOf(file);
        if (!form) return fail(Errc::badInput, "export", file, "*.jsonl.zst, *.csv");
        if (!job || !job->surveys().survey()) return fail(Errc::notThere, "export", file);
        // Written beside and moved into place when it is whole.
        QSaveFile out(QFile::decodeName(QByteArray::fromStdString(file)));
        if (!out.open(QIODevice::WriteOnly)) return failErrno("export", file, errno == 0 ? EACCES : errno);
        const auto done = zt::exportSurvey(*job->surveys().survey(), *form, [&](std::string_view bytes) {
          const auto size = static_cast<qint64>(bytes.size());
          return out.write(bytes.data(), size) == size;
        });
        if (!done || !out.commit()) return failErrno("export", file, errno == 0 ? EIO : errno);
        return {};
      },
      [session = &session_, file] { Q_EMIT session->exported(QByteArray::fromStdString(file)); });
}

}  // namespace zt::desktop
