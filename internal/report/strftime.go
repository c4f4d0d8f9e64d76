package report

import (
	"fmt"
	"time"

	"github.com/lestrrat-go/strftime"

	"yoyaku/internal/core/civil"
)

// Strftime makes a writer of dates of a POSIX strftime layout, with English
// names whatever the machine's language.
func Strftime(layout string) (func(d civil.Date, minutes int) string, error) {
	f, err := strftime.New(layout)
	if err != nil {
		return nil, fmt.Errorf("not a layout of dates: %q; for example '%%d %%b %%Y' (%w)", layout, err)
	}
	return func(d civil.Date, minutes int) string {
		y, m, day := d.YMD()
		return f.FormatString(time.Date(y, time.Month(m), day, 0, minutes, 0, 0, time.UTC))
	}, nil
}
