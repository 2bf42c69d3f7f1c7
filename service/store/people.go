package store

import (
	"errors"
	"fmt"
	"regexp"
	"strings"
	"time"
	"unicode/utf8"

	"gorm.io/gorm"

	"grotta/api"
	"grotta/core/preset"
	"grotta/service/auth"
)

// Asker is who wants something, and with which scopes.
type Asker struct {
	ID     uint
	Name   string
	Scopes []string
}

// Sessions of the console last this long from sign-in.
const sessionFor = 14 * 24 * time.Hour

var userName = regexp.MustCompile(`^[a-z0-9][a-z0-9._-]{0,31}$`)

// AddUser makes a user.
func (s *Store) AddUser(name, password string) error {
	if !userName.MatchString(name) {
		return fmt.Errorf("%q is no user name: allowed are a-z, 0-9, dot, dash and underscore, 1 to 32 of them", name)
	}
	if name == preset.RecipeOwner {
		return fmt.Errorf("%q is what the rigs that come with Grotta are listed under; choose another name", name)
	}
	if utf8.RuneCountInString(password) < auth.MinPassword {
		return fmt.Errorf("the password has %d characters; at least %d are needed", utf8.RuneCountInString(password), auth.MinPassword)
	}
	hash := auth.HashPassword(password)
	err := s.change(func(tx *gorm.DB) error {
		return tx.Create(&user{Name: name, Password: hash, Created: time.Now().UTC()}).Error
	})
	if errors.Is(err, ErrTaken) {
		return fmt.Errorf("there is a user %q already: %w", name, ErrTaken)
	}
	return err
}

// Users lists the names of everybody.
func (s *Store) Users() ([]api.User, error) {
	var names []string
	err := s.db.Model(&user{}).Order("name").Pluck("name", &names).Error
	users := make([]api.User, len(names))
	for i, n := range names {
		users[i].Name = n
	}
	return users, err
}

// SignIn checks a password and starts a session; the secret goes into a cookie.
// ErrForbidden for a wrong name or password, in the same time for both.
func (s *Store) SignIn(name, password string, now time.Time) (secret string, began api.Session, err error) {
	var u user
	if err := s.db.Where("name = ?", name).Limit(1).Find(&u).Error; err != nil {
		return "", began, err
	}
	if !auth.CheckPassword(u.Password, password) {
		return "", began, ErrForbidden
	}
	secret, csrf := auth.NewSecret(), auth.NewSecret()
	row := session{Hash: auth.HashSecret(secret), UserID: u.ID, CSRF: csrf, Expires: now.Add(sessionFor)}
	err = s.change(func(tx *gorm.DB) error {
		if err := tx.Where("expires < ?", now).Delete(&session{}).Error; err != nil {
			return err
		}
		return tx.Create(&row).Error
	})
	return secret, api.Session{User: name, Scopes: api.Scopes, CSRF: csrf, Expires: row.Expires}, err
}

// SignOut ends a session.
func (s *Store) SignOut(secret string) error {
	return s.change(func(tx *gorm.DB) error {
		return tx.Where("hash = ?", auth.HashSecret(secret)).Delete(&session{}).Error
	})
}

// BySession finds who a cookie's secret belongs to, and the CSRF token that
// changes must carry.
func (s *Store) BySession(secret string, now time.Time) (Asker, api.Session, error) {
	var row session
	err := s.db.Preload("User").Where("hash = ? AND expires > ?", auth.HashSecret(secret), now).First(&row).Error
	if err != nil {
		return Asker{}, api.Session{}, translate(err)
	}
	return Asker{row.UserID, row.User.Name, api.Scopes},
		api.Session{User: row.User.Name, Scopes: api.Scopes, CSRF: row.CSRF, Expires: row.Expires}, nil
}

// ByToken finds who a token's secret belongs to.
func (s *Store) ByToken(secret string, now time.Time) (Asker, error) {
	var row token
	err := s.db.Preload("User").Where("hash = ?", auth.HashSecret(secret)).First(&row).Error
	if err != nil {
		return Asker{}, translate(err)
	}
	if row.Expires != nil && row.Expires.Before(now) {
		return Asker{}, ErrNotFound
	}
	return Asker{row.UserID, row.User.Name, strings.Split(row.Scopes, ",")}, nil
}

// NewToken makes a token for the asker. It cannot have a scope that the asker
// has not.
func (s *Store) NewToken(a Asker, want api.NewToken, now time.Time) (api.Token, error) {
	for _, scope := range want.Scopes {
		if !a.Has(scope) {
			return api.Token{}, fmt.Errorf("a token cannot have the scope %q, which its maker has not: %w", scope, ErrForbidden)
		}
	}
	if want.Days == 0 {
		want.Days = 90
	}
	secret, expires := auth.TokenPrefix+auth.NewSecret(), now.AddDate(0, 0, want.Days)
	row := token{
		ID: auth.NewID(), Hash: auth.HashSecret(secret), UserID: a.ID, Name: want.Name,
		Scopes: strings.Join(want.Scopes, ","), Created: now, Expires: &expires,
	}
	err := s.change(func(tx *gorm.DB) error { return tx.Create(&row).Error })
	out := row.public()
	out.Secret = secret
	return out, err
}

// Has tells whether the asker may use a scope.
func (a Asker) Has(scope string) bool {
	for _, s := range a.Scopes {
		if s == scope {
			return true
		}
	}
	return false
}

func (t *token) public() api.Token {
	return api.Token{ID: t.ID, Name: t.Name, Scopes: strings.Split(t.Scopes, ","), Created: t.Created, Expires: t.Expires}
}

// Tokens lists the asker's.
func (s *Store) Tokens(a Asker) ([]api.Token, error) {
	var rows []token
	err := s.db.Where("user_id = ?", a.ID).Order("created").Find(&rows).Error
	out := make([]api.Token, len(rows))
	for i := range rows {
		out[i] = rows[i].public()
	}
	return out, err
}

// RevokeToken ends one of the asker's tokens.
func (s *Store) RevokeToken(a Asker, id string) error {
	return s.change(func(tx *gorm.DB) error {
		r := tx.Where("user_id = ? AND id = ?", a.ID, id).Delete(&token{})
		if r.Error == nil && r.RowsAffected == 0 {
			return ErrNotFound
		}
		return r.Error
	})
}

// userIDs turns names into ids; the error names the first that is nobody's.
func userIDs(tx *gorm.DB, names []string) ([]uint, error) {
	ids := make([]uint, len(names))
	for i, name := range names {
		var u user
		if err := tx.Where("name = ?", name).Limit(1).Find(&u).Error; err != nil {
			return nil, err
		}
		if u.ID == 0 {
			return nil, fmt.Errorf("there is no user %q: %w", name, ErrNotFound)
		}
		ids[i] = u.ID
	}
	return ids, nil
}

// UserID is the id behind a name, for programs on the service's own machine.
func (s *Store) UserID(name string) (uint, error) {
	ids, err := userIDs(s.db, []string{name})
	if err != nil {
		return 0, err
	}
	return ids[0], nil
}
