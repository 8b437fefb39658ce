// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/destination.h"

#include <QCoreApplication>
#include <QDir>
#include <QSettings>

namespace zt::desktop {

namespace {

QString text(const char* source) {
  return QCoreApplication::translate("Destination", source);
}

std::optional<QString> askFolder(QWidget* parent, Prompter& prompter, const QString& title,
                                 const QString& key) {
  QSettings settings;
  const QString last = settings.value(key).toString();
  if (!last.isEmpty() && QDir(last).exists()) {
    const auto way =
        prompter.choose(parent, title, text("They go to a folder of their own there, each by its path."),
                        {last, text("Another folder…")});
    if (!way) return std::nullopt;
    if (*way == 0) return last;
  }
  auto chosen = prompter.chooseFolder(parent, title);
  if (chosen) settings.setValue(key, *chosen);
  return chosen;
}

}  // namespace

std::optional<StepParameters> askDestination(QWidget* parent, Prompter& prompter) {
  const auto to = askFolder(parent, prompter, text("Move to another drive"), QStringLiteral("movedTo"));
  if (!to) return std::nullopt;
  StepParameters told;
  told.set("to", StepParameters::Place{QDir(*to).absolutePath().toLocal8Bit().toStdString()});
  const auto two = prompter.choose(parent, text("A second copy"),
                                   text("Each copy is read back before anything goes here. A second one on a "
                                        "third drive is kept, too, if wanted."),
                                   {text("One copy"), text("A second copy, too…")});
  if (!two) return std::nullopt;
  if (*two == 1) {
    const auto second = askFolder(parent, prompter, text("The second copy"), QStringLiteral("movedSecond"));
    if (!second) return std::nullopt;
    told.set("second", StepParameters::Place{QDir(*second).absolutePath().toLocal8Bit().toStdString()});
  }
  return told;
}

}  // namespace zt::desktop
