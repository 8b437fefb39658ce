// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QString>
#include <functional>

#include "desktop/style/palette.h"
#include "words/words.h"

namespace zt::desktop {

/// How the application looks and speaks: the face in force, and the words in the language and number style of
/// the user's locale. Belongs to the QApplication, which must live before and after it. GUI thread.
class Look final : public QObject {
  Q_OBJECT
public:
  explicit Look(QObject* application);
  /// The application's; made when it is first asked for.
  static Look& ofApplication();

  const Words& words() const { return words_; }
  const Face& face() const { return face_; }
  void setBase(UnitBase base);
  void setDark(bool dark);

private:
  Words words_;
  Face face_;
};

/// A text of `Words`, for showing: say(&Words::bytes, amount).
template <class Method, class... Values>
QString say(Method method, const Values&... values) {
  return QString::fromStdString(std::invoke(method, Look::ofApplication().words(), values...));
}

QString clockTime(TimeNs time);  ///< "10:42", by the locale
QString dateText(TimeNs time);   ///< by the locale, short

}  // namespace zt::desktop
