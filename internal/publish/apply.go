package publish

import (
	"context"
	"errors"
	"sync"
	"sync/atomic"

	"yoyaku/internal/caldav"
	"yoyaku/internal/ical"
)

// Store is where resources are kept.
type Store interface {
	Get(ctx context.Context, r caldav.Resource) (caldav.Resource, error)
	Put(ctx context.Context, r caldav.Resource) error
	Delete(ctx context.Context, r caldav.Resource) error
}

// Apply writes and takes away what was decided, some at once, and puts into the steps what
// became of them. If the server denies or can't be reached no more it stops: the
// error says why, and the steps that weren't reached are Failed. Nothing is taken back;
// the next time goes on from there.
func (d *Decision) Apply(ctx context.Context, store Store, atOnce int, done *atomic.Int64) error {
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	work := make(chan *Step)
	var wait sync.WaitGroup
	for range max(1, atOnce) {
		wait.Add(1)
		go func() {
			defer wait.Done()
			for s := range work {
				if err := s.do(ctx, store); err != nil {
					s.Result, s.Note = resultFailed, err.Error()
					if isFatal(err) {
						stop(err)
					}
				}
				if done != nil {
					done.Add(1)
				}
			}
		}()
	}
	for _, s := range d.Steps {
		if s.action != actKeep {
			work <- s
		}
	}
	close(work)
	wait.Wait()
	if ctx.Err() != nil {
		return context.Cause(ctx)
	}
	return nil
}

// isFatal reports whether an error means that the rest would fail too.
func isFatal(err error) bool {
	var status *caldav.StatusError
	return caldav.IsDenied(err) || !errors.As(err, &status)
}

// errSkipped is the error of a step that wasn't begun.
var errSkipped = errors.New("not done")

func (s *Step) do(ctx context.Context, store Store) error {
	if ctx.Err() != nil {
		return errSkipped
	}
	if s.action == actDelete {
		err := store.Delete(ctx, s.resource)
		if caldav.IsPreconditionFailed(err) {
			if _, gerr := store.Get(ctx, s.resource); caldav.IsNotFound(gerr) {
				return nil
			}
			s.Result, s.Note = resultConflict, "changed on the server in the meantime"
			return nil
		}
		if caldav.IsNotFound(err) {
			return nil
		}
		return err
	}
	err := store.Put(ctx, s.resource)
	switch {
	case caldav.IsPreconditionFailed(err):
		now, gerr := store.Get(ctx, s.resource)
		if gerr == nil {
			o, rerr := ical.ReadObject(now.Data)
			switch {
			// a try that seemed to fail
			case rerr == nil && o.UID == s.object.UID && o.Hash == s.object.Hash && o.Plan == s.object.Plan:
				return nil
			case s.resource.ETag == "":
				s.Result, s.Note = resultForeign, "something else is in its place: "+s.resource.Name
				return nil
			}
		} else if !caldav.IsNotFound(gerr) {
			return gerr
		}
		s.Result, s.Note = resultConflict, "changed on the server in the meantime"
		return nil
	case caldav.IsUIDConflict(err):
		s.Result, s.Note = resultForeign, "the server has its UID under another name"
		return nil
	}
	return err
}
