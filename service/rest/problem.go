package rest

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/level"
	"grotta/core/lightmap"
	"grotta/core/platform"
	"grotta/service/auth"
	"grotta/service/disk"
	"grotta/service/gate"
	"grotta/service/rights"
	"grotta/service/store"
	"grotta/service/studio"
)

// coded carries a stable code through huma's error hook.
type coded struct{ code, detail string }

func (c *coded) Error() string { return c.detail }

// codes of problems that carry none of their own.
var codes = map[int]string{
	400: "bad-request", 401: "not-signed-in", 403: "not-allowed", 404: "not-found", 405: "bad-method", 409: "conflict",
	412: "stale", 413: "too-large", 415: "bad-type", 421: "bad-host", 422: "invalid", 429: "too-many", 500: "internal", 503: "unavailable", 507: "disk-full",
}

// newProblem builds the problem that huma answers with.
func newProblem(status int, message string, errs ...error) huma.StatusError {
	if message == "validation failed" { // huma's own words
		message = "what was sent cannot be taken"
	}
	p := &api.Problem{Status: status, Title: http.StatusText(status), Detail: message, Code: codes[status]}
	for _, err := range errs {
		var own *coded
		var detail *huma.ErrorDetail
		var invalid *level.Invalid
		switch {
		case err == nil:
		case errors.As(err, &own):
			p.Code = own.code
		case errors.As(err, &invalid):
			for _, f := range invalid.Faults {
				p.Faults = append(p.Faults, api.Fault{Path: f.Path, Message: f.Message})
			}
		case errors.As(err, &detail):
			p.Faults = append(p.Faults, api.Fault{Path: detail.Location, Message: detail.Message})
		default:
			p.Faults = append(p.Faults, api.Fault{Message: err.Error()})
		}
	}
	p.Type = "urn:grotta:problem:" + p.Code
	return p
}

// problem turns any error of the store or the core into an answer. What it does
// not know is logged and answered as internal, without its text.
func (s *server) problem(err error) error {
	var invalid *level.Invalid
	var conflict *store.Conflict
	var tooLarge *lightmap.TooLarge
	var unknown *platform.Unknown
	var known *api.Problem
	make := func(status int, code, detail string, errs ...error) error {
		return newProblem(status, detail, append(errs, &coded{code, detail})...)
	}
	plain := strings.TrimSuffix(strings.TrimSuffix(strings.TrimSuffix(err.Error(), ": "+store.ErrNotFound.Error()), ": "+store.ErrForbidden.Error()), ": "+store.ErrTaken.Error())
	switch {
	case errors.As(err, &known):
		return known
	case errors.Is(err, store.ErrUnreadable):
		return make(http.StatusConflict, "unreadable", plain)
	case errors.As(err, &invalid):
		return make(http.StatusUnprocessableEntity, "invalid", "what was sent cannot be taken", invalid)
	case errors.As(err, &conflict):
		return newProblem(http.StatusConflict, conflict.Error(), &coded{"conflict", ""},
			&huma.ErrorDetail{Location: conflict.Path, Message: fmt.Sprintf("yours: %s; theirs, in revision %d by %s: %s", store.Short(conflict.Yours), conflict.Revision, conflict.Author, store.Short(conflict.Theirs))})
	case errors.As(err, &tooLarge):
		return make(http.StatusUnprocessableEntity, "too-large", tooLarge.Error())
	case errors.As(err, &unknown):
		return make(http.StatusNotFound, "not-found", unknown.Error())
	case errors.Is(err, store.ErrNotFound):
		if plain == store.ErrNotFound.Error() {
			plain = "there is no such thing, or it is not shared with you"
		}
		return make(http.StatusNotFound, "not-found", plain)
	case errors.Is(err, rights.ErrScope):
		return make(http.StatusForbidden, "scope", strings.TrimSuffix(plain, ": scope"))
	case errors.Is(err, rights.ErrSignIn):
		return make(http.StatusUnauthorized, "not-signed-in", plain)
	case errors.Is(err, disk.ErrFull):
		s.Log.Error("the disk is full", "error", err)
		return make(http.StatusInsufficientStorage, "disk-full", "the disk of the service is full; nothing was changed. It goes on by itself once there is room")
	case errors.Is(err, store.ErrQuota):
		return make(http.StatusConflict, "quota", strings.TrimSuffix(plain, ": "+store.ErrQuota.Error()))
	case errors.Is(err, store.ErrMoved):
		return make(http.StatusConflict, "moved", plain)
	case errors.Is(err, gate.ErrBusy), errors.Is(err, auth.ErrBusy):
		return make(http.StatusTooManyRequests, "busy", plain)
	case errors.Is(err, studio.ErrLost):
		return make(http.StatusServiceUnavailable, "lost-layer", studio.ErrLost.Error())
	case errors.Is(err, store.ErrForbidden):
		return make(http.StatusForbidden, "not-allowed", plain)
	case errors.Is(err, store.ErrTaken):
		return make(http.StatusConflict, "taken", plain)
	case errors.Is(err, store.ErrOver):
		return make(http.StatusConflict, "over", plain)
	case errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded):
		return make(499, "cancelled", "the request was cancelled")
	}
	s.Log.Error("a request failed", "error", err)
	return make(http.StatusInternalServerError, "internal", "something went wrong here; the log says what")
}

// answer wraps a value and an error as a handler returns them.
func answer[T any](s *server, body T, err error) (*out[T], error) {
	if err != nil {
		return nil, s.problem(err)
	}
	return &out[T]{Body: body}, nil
}

type out[T any] struct{ Body T }

// list is a body with a list in it, so that more can stand beside it later.
type list[T any] struct {
	Items []T `json:"items"`
}

func answerList[T any](s *server, items []T, err error) (*out[list[T]], error) {
	if items == nil {
		items = []T{}
	}
	return answer(s, list[T]{items}, err)
}

func nothing(s *server, err error) (*struct{}, error) {
	if err != nil {
		return nil, s.problem(err)
	}
	return nil, nil
}
