package publish

import (
	"context"
	"sync/atomic"

	"yoyaku/internal/caldav"
	"yoyaku/internal/core/phrase"
)

// Target is the calendar on a server that events are published to.
type Target struct {
	Name  string
	Given bool   // somebody gave it that name; otherwise one calendar there is taken for it
	Title string // of a calendar that is made
	Dry   bool   // nothing is done
	// AtOnce is how many requests are made at the same time.
	AtOnce int
}

// Tell is where words for people go; Progress counts what is done until it is stopped.
type Tell struct {
	Warn, Note func(format string, args ...any)
	Progress   func() (done *atomic.Int64, stop func())
}

// Publish finds the calendar, compares it with what is wanted, and makes it so. If the
// error came before anything was decided, there is no decision; otherwise it says why the
// work ended early.
func (t Target) Publish(ctx context.Context, client *caldav.Client, w Wanted, tell Tell) (*Decision, error) {
	store, d, err := t.decide(ctx, client, w, tell)
	if err != nil {
		return nil, err
	}
	if t.Dry {
		return d, nil
	}
	if store.Missing {
		there, err := store.Create(ctx, t.Title)
		if err != nil {
			return nil, err
		}
		if there { // by another publisher, who may have put events there
			if store, d, err = t.decide(ctx, client, w, tell); err != nil {
				return nil, err
			}
		}
	}
	done, stop := tell.Progress()
	defer stop()
	return d, d.Do(ctx, store, t.AtOnce, done)
}

// decide finds the calendar and compares it with what is wanted.
func (t Target) decide(ctx context.Context, client *caldav.Client, w Wanted, tell Tell) (*caldav.Collection,
	*Decision, error) {
	store, err := client.Find(ctx, t.Name, t.Given)
	if err != nil {
		return nil, nil, err
	}
	there, err := store.List(ctx)
	if err != nil {
		return nil, nil, err
	}
	if n := store.Outside; n > 0 {
		verb := phrase.Agree(n, "is", "are")
		tell.Warn("%s that the server lists %s outside %s; %s not touched", phrase.Counted(n, "resource"), verb,
			store.Path(), verb)
	}
	d, err := Decide(w, there)
	if err != nil {
		return nil, nil, err
	}
	if d.Unread += store.Unread; d.Unread > 0 {
		tell.Warn("%s there can't be read; it was left alone", phrase.Counted(d.Unread, "resource"))
	}
	if store.Missing && t.Dry {
		tell.Note("there is no calendar %s on the server yet; publishing creates it", store.Path())
	}
	return store, d, nil
}
