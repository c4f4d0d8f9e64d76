package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"strings"
	"syscall"

	"yoyaku/demo"
	"yoyaku/internal/caldav"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/files"
	"yoyaku/internal/plan"
	"yoyaku/internal/query"
	"yoyaku/internal/render"
	"yoyaku/internal/workflow"
)

// The exit codes.
const (
	exitOK          = 0
	exitNegative    = 1 // the answer is no
	exitUsage       = 2 // the words or the data are wrong
	exitSystem      = 3 // the machine refused
	exitInterrupted = 130
)

// errInterrupted is the end of what was interrupted between two steps.
var errInterrupted = errors.New("interrupted; the request in progress was completed. Run again to continue")

// usageError is a fault in how the command was called.
type usageError struct{ error }

func usagef(format string, args ...any) error { return usageError{fmt.Errorf(format, args...)} }

// negativeError is an answer that is no, in a whole sentence: exit code 1.
type negativeError struct{ text string }

// Error gives the sentence.
func (e *negativeError) Error() string { return e.text }

// exit prints an error once, in a form a clerk can act on, and returns the
// exit code that it stands for.
func (a *App) exit(err error) int {
	if err == nil || errors.Is(err, syscall.EPIPE) {
		return exitOK
	}
	var sentence *negativeError
	if errors.As(err, &sentence) {
		fmt.Fprintln(a.Err, render.CleanLines(a.redact(sentence.text)))
		return exitNegative
	}
	text := errorText(err)
	fmt.Fprint(a.Err, render.CleanLines(a.redact(text+demo.Hint(text))))
	return errorCode(err)
}

// errorCode tells the machine's refusals from wrong words and data.
func errorCode(err error) int {
	var sys syscall.Errno
	var network *caldav.UnreachableError
	var answer *caldav.StatusError
	var server *serverError
	switch {
	case errors.Is(err, query.ErrNoRule), errors.As(err, new(*negativeError)), errors.As(err, new(*workflow.LedgerError)), errors.As(err, new(*workflow.NegativeError)), errors.As(err, new(*workflow.BreachError)):
		return exitNegative
	case errors.Is(err, errInterrupted), errors.Is(err, context.Canceled):
		return exitInterrupted
	case errors.As(err, &answer):
		if caldav.IsDenied(err) {
			return exitUsage
		}
		return exitSystem
	case errors.As(err, new(*caldav.ProtocolError)), errors.As(err, new(*files.LockedError)), errors.As(err, new(*files.TempDirError)):
		return exitSystem
	case errors.As(err, &network), errors.As(err, &server):
		return exitSystem
	case errors.Is(err, fs.ErrNotExist), errors.Is(err, fs.ErrExist):
		return exitUsage
	case errors.Is(err, fs.ErrPermission):
		return exitSystem
	case errors.As(err, &sys) && sys != syscall.EISDIR && sys != syscall.ENOTDIR:
		return exitSystem
	case errors.Is(err, io.ErrShortWrite), errors.Is(err, os.ErrClosed):
		return exitSystem
	}
	return exitUsage
}

// errorText writes an error as one or a few lines. A phrase is shown with a
// caret under the place.
func errorText(err error) string {
	place, dashes := "", "--"
	var pe *plan.Error
	if errors.As(err, &pe) {
		place, dashes = pe.Prefix(), ""
		err = pe.Err
	}
	var option *rows.OptionError
	if errors.As(err, &option) {
		if before, ok := strings.CutSuffix(err.Error(), option.Error()); ok {
			place += before + dashes
		}
		if place, err = place+option.Option+": ", option.Err; option.IsPredicate {
			place = strings.TrimSuffix(place, ": ") + " "
		}
	}
	var f *phrase.Error
	if errors.As(err, &f) {
		if before, ok := strings.CutSuffix(err.Error(), f.Error()); ok {
			place += before
		}
		return "yoyaku: " + place + rows.FormatOptionRefs(f.Message, dashes != "") + "\n" + render.Caret(f) + hintText(f.Hint)
	}
	var path *fs.PathError
	if errors.As(err, &path) {
		return "yoyaku: " + place + files.ErrorText(path) + "\n"
	}
	return "yoyaku: " + place + rows.FormatOptionRefs(err.Error(), dashes != "") + "\n"
}

func hintText(s string) string {
	if s == "" {
		return ""
	}
	return "  " + s + "\n"
}
