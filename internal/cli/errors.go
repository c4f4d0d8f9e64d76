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
	"yoyaku/internal/office"
	"yoyaku/internal/plan"
	"yoyaku/internal/question"
	"yoyaku/internal/report"
)

// The exit codes.
const (
	exitDone    = 0
	exitNo      = 1 // the answer is no
	exitWords   = 2 // the words or the data are wrong
	exitMachine = 3 // the machine refused
	exitStopped = 130
)

// errInterrupted is the end of what was interrupted between two steps.
var errInterrupted = errors.New("interrupted; the request in progress was completed. Run again to continue")

// usageError is a fault in how the command was called.
type usageError struct{ error }

func usagef(format string, args ...any) error { return usageError{fmt.Errorf(format, args...)} }

// no is an answer that is no, in a whole sentence: exit code 1.
type no struct{ text string }

// Error gives the sentence.
func (e *no) Error() string { return e.text }

// exit prints an error once, in a form a clerk can act on, and returns the
// exit code that it stands for.
func (a *App) exit(err error) int {
	if err == nil || errors.Is(err, syscall.EPIPE) {
		return exitDone
	}
	var sentence *no
	if errors.As(err, &sentence) {
		fmt.Fprintln(a.Err, report.CleanLines(a.hidden(sentence.text)))
		return exitNo
	}
	text := describe(err)
	fmt.Fprint(a.Err, report.CleanLines(a.hidden(text+demo.Hint(text))))
	return code(err)
}

// code tells the machine's refusals from wrong words and data.
func code(err error) int {
	var sys syscall.Errno
	var network *caldav.UnreachedError
	var answer *caldav.StatusError
	var server *serverError
	switch {
	case errors.Is(err, question.ErrNoRule), errors.As(err, new(*no)), errors.As(err, new(*office.LedgerError)), errors.As(err, new(*office.No)), errors.As(err, new(*office.HeldError)):
		return exitNo
	case errors.Is(err, errInterrupted), errors.Is(err, context.Canceled):
		return exitStopped
	case errors.As(err, &answer):
		if caldav.Denied(err) {
			return exitWords
		}
		return exitMachine
	case errors.As(err, new(*caldav.AnswerError)), errors.As(err, new(*files.LockedError)), errors.As(err, new(*files.NoRoomError)):
		return exitMachine
	case errors.As(err, &network), errors.As(err, &server):
		return exitMachine
	case errors.Is(err, fs.ErrNotExist), errors.Is(err, fs.ErrExist):
		return exitWords
	case errors.Is(err, fs.ErrPermission):
		return exitMachine
	case errors.As(err, &sys) && sys != syscall.EISDIR && sys != syscall.ENOTDIR:
		return exitMachine
	case errors.Is(err, io.ErrShortWrite), errors.Is(err, os.ErrClosed):
		return exitMachine
	}
	return exitWords
}

// describe writes an error as one or a few lines. A phrase is shown with a
// caret under the place.
func describe(err error) string {
	place, dashes := "", "--"
	var pe *plan.Error
	if errors.As(err, &pe) {
		place, dashes = pe.Place(), ""
		err = pe.Err
	}
	var option *rows.OptionError
	if errors.As(err, &option) {
		if before, ok := strings.CutSuffix(err.Error(), option.Error()); ok {
			place += before + dashes
		}
		if place, err = place+option.Option+": ", option.Err; option.Is {
			place = strings.TrimSuffix(place, ": ") + " "
		}
	}
	var f *phrase.Error
	if errors.As(err, &f) {
		if before, ok := strings.CutSuffix(err.Error(), f.Error()); ok {
			place += before
		}
		return "yoyaku: " + place + rows.Say(f.Message, dashes != "") + "\n" + report.Caret(f) + hint(f.Hint)
	}
	var path *fs.PathError
	if errors.As(err, &path) {
		return "yoyaku: " + place + files.InWords(path) + "\n"
	}
	return "yoyaku: " + place + rows.Say(err.Error(), dashes != "") + "\n"
}

func hint(s string) string {
	if s == "" {
		return ""
	}
	return "  " + s + "\n"
}
