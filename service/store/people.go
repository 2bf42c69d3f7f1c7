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
	"grotta/core/level"
	"grotta/core/preset"
	"grotta/service/auth"
	"grotta/service/rights"
)

// Sessions of the console last this long from sign-in.
const sessionFor = 14 * 24 * time.Hour

var userName = regexp.MustCompile(`^[a-z0-9][a-z0-9._-]{0,31}$`)

// AddUser makes a user. The first one of a service is an admin.
func (s *Store) AddUser(name, password string) error { return s.addUser(name, password, false) }

// CreateUser makes a user for an admin.
func (s *Store) CreateUser(want api.NewUser) (api.User, error) {
	return api.User{Name: want.Name, Admin: want.Admin}, s.addUser(want.Name, want.Password, want.Admin)
}

func (s *Store) addUser(name, password string, admin bool) error {
	if !userName.MatchString(name) || name == preset.StarterOwner || name == Everybody {
		return badUserName(name)
	}
	hash, err := hashPassword("/password", password)
	if err != nil {
		return err
	}
	err = s.change(func(tx *gorm.DB) error {
		var others int64
		if err := people(tx).Count(&others).Error; err != nil {
			return err
		}
		return tx.Create(&user{Name: name, Password: hash, Admin: admin || others == 0, Created: time.Now().UTC()}).Error
	})
	if errors.Is(err, ErrTaken) {
		return fmt.Errorf("there is a user %q already: %w", name, ErrTaken)
	}
	return err
}

func badUserName(name string) error {
	if userName.MatchString(name) {
		return fault("/name", "is %q, which has a meaning of its own here; choose another name", name)
	}
	return fault("/name", "is %q: allowed are a-z, 0-9, dot, dash and underscore, 1 to 32 of them, a letter or digit first", name)
}

func hashPassword(path, password string) (string, error) {
	if n := utf8.RuneCountInString(password); n < auth.MinPassword {
		return "", fault(path, "has %d characters; at least %d are needed", n, auth.MinPassword)
	}
	return auth.HashPassword(password)
}

func fault(path, format string, args ...any) error {
	return &level.Invalid{Faults: []level.Fault{{Path: path, Message: fmt.Sprintf(format, args...)}}}
}

// Users lists everybody by name; an admin also sees how many levels each has.
func (s *Store) Users(a Asker) ([]api.User, error) {
	var rows []user
	if err := people(s.db).Order("name").Find(&rows).Error; err != nil {
		return nil, err
	}
	users := make([]api.User, len(rows))
	for i, r := range rows {
		users[i].Name = r.Name
	}
	if !a.Admin {
		return users, nil
	}
	var owned []struct {
		OwnerID uint
		Levels  int
	}
	if err := s.db.Model(&levelRow{}).Select("owner_id", "count(*) AS levels").Where("removed IS NULL").Group("owner_id").Scan(&owned).Error; err != nil {
		return nil, err
	}
	levels := map[uint]int{}
	for _, o := range owned {
		levels[o.OwnerID] = o.Levels
	}
	for i, r := range rows {
		users[i] = api.User{Name: r.Name, Admin: r.Admin, Disabled: r.Disabled, Levels: levels[r.ID], Created: r.Created}
	}
	return users, nil
}

// people are all users but the one who owns the starter library, whom nobody is.
func people(tx *gorm.DB) *gorm.DB { return tx.Model(&user{}).Where("name <> ?", preset.StarterOwner) }

// SetPassword changes a password. Everybody changes their own with the old one; an admin
// changes that of others. It ends all sessions and tokens of that person but the asker's.
func (s *Store) SetPassword(a Asker, name string, want api.NewPassword) error {
	own := name == a.Name
	if !own && !(a.Admin && a.Has(api.ScopeAdmin)) {
		return fmt.Errorf("only an admin changes the password of somebody else: %w", ErrForbidden)
	}
	u, err := s.userNamed(s.db, name)
	if err != nil {
		return err
	}
	if own && a.ID != localAdmin {
		if ok, err := auth.CheckPassword(u.Password, want.Old); err != nil || !ok {
			return errors.Join(err, fault("/old", "is not your password"))
		}
	}
	hash, err := hashPassword("/new", want.New)
	if err != nil {
		return err
	}
	return s.change(func(tx *gorm.DB) error {
		if err := tx.Model(&user{}).Where("id = ?", u.ID).Update("password", hash).Error; err != nil {
			return err
		}
		return endAccess(tx, u.ID, a)
	})
}

// localAdmin is the id of whoever works on the data folder itself.
const localAdmin = ^uint(0)

// LocalAdmin acts for whoever works on the data folder of a service itself, by command.
var LocalAdmin = Asker{ID: localAdmin, Scopes: api.Scopes, Admin: true}

// endAccess ends the sessions and tokens of somebody, but for those that the asker came
// with.
func endAccess(tx *gorm.DB, id uint, a Asker) error {
	tokens := tx.Where("user_id = ?", id)
	if a.Token != nil {
		tokens = tokens.Where("id <> ?", a.Token.ID)
	}
	if err := tokens.Delete(&token{}).Error; err != nil {
		return err
	}
	return tx.Where("user_id = ? AND hash <> ?", id, a.Session).Delete(&session{}).Error
}

// ChangeUser changes what somebody may. The last admin who may sign in stays one.
func (s *Store) ChangeUser(a Asker, name string, want api.UserChange) error {
	return s.change(func(tx *gorm.DB) error {
		u, err := s.userNamed(tx, name)
		if err != nil {
			return err
		}
		if want.Admin != nil {
			u.Admin = *want.Admin
		}
		if want.Disabled != nil {
			u.Disabled = *want.Disabled
		}
		if err := tx.Model(&user{}).Where("id = ?", u.ID).Select("admin", "disabled").Updates(&u).Error; err != nil {
			return err
		}
		if u.Disabled {
			if err := endAccess(tx, u.ID, Asker{}); err != nil {
				return err
			}
		}
		return mustHaveAdmin(tx)
	})
}

func mustHaveAdmin(tx *gorm.DB) error {
	var admins int64
	err := tx.Model(&user{}).Where("admin AND NOT disabled").Count(&admins).Error
	if err == nil && admins == 0 {
		err = fmt.Errorf("that would leave nobody who may manage people; make another admin first: %w", ErrTaken)
	}
	return err
}

// RemoveUser removes somebody. Their levels and presets go to the heir, or, where that is "", are
// deleted with them. What they wrote into the levels of others stays there under the heir's or the
// asker's name.
func (s *Store) RemoveUser(a Asker, name, heir string) error {
	return s.change(func(tx *gorm.DB) error {
		u, err := s.userNamed(tx, name)
		if err != nil {
			return err
		}
		takes := a.ID
		if heir != "" {
			h, err := s.userNamed(tx, heir)
			if err != nil {
				return err
			}
			if h.ID == u.ID {
				return fault("/heir", "is the one who is to be removed")
			}
			takes = h.ID
		}
		if takes == localAdmin { // it has no row in the database, so an admin takes its place
			if err := tx.Raw("SELECT id FROM users WHERE admin AND id <> ? ORDER BY id LIMIT 1", u.ID).Scan(&takes).Error; err != nil {
				return err
			}
		}
		if takes == u.ID || takes == localAdmin {
			return fmt.Errorf("there is nobody to take over what %s did; name an heir: %w", name, ErrTaken)
		}
		if err := s.leaveLevels(tx, u.ID, takes, heir != ""); err != nil {
			return err
		}
		if err := leavePresets(tx, &u, takes, heir != ""); err != nil {
			return err
		}
		for _, statement := range []string{
			"UPDATE revisions SET author_id = ? WHERE author_id = ?", "UPDATE bakes SET author_id = ? WHERE author_id = ?", "UPDATE preset_versions SET author_id = ? WHERE author_id = ?",
			"UPDATE comments SET author_id = ? WHERE author_id = ?", "UPDATE comments SET resolver_id = ? WHERE resolver_id = ?",
			"UPDATE reviews SET asker_id = ? WHERE asker_id = ?", "UPDATE reviews SET reviewer_id = ? WHERE reviewer_id = ?",
		} {
			if err := tx.Exec(statement, takes, u.ID).Error; err != nil {
				return err
			}
		}
		if err := leaveTeams(tx, u.ID, takes); err != nil {
			return err
		}
		for _, statement := range []string{"DELETE FROM preset_shares WHERE user_id = ?", "DELETE FROM users WHERE id = ?"} {
			if err := tx.Exec(statement, u.ID).Error; err != nil {
				return err
			}
		}
		return mustHaveAdmin(tx)
	})
}

// leavePresets gives the presets of somebody to another, or deletes them. One whose name the other
// has already gets the name of its old owner before it.
func leavePresets(tx *gorm.DB, from *user, to uint, keep bool) error {
	var rows []presetRow
	if err := tx.Where("owner_id = ?", from.ID).Find(&rows).Error; err != nil {
		return err
	}
	for i := range rows {
		row := &rows[i]
		if !keep || row.Removed != nil {
			if err := dropPreset(tx, row); err != nil {
				return err
			}
			if err := tx.Exec("DELETE FROM presets WHERE id = ?", row.ID).Error; err != nil {
				return err
			}
			continue
		}
		var taken int64
		if err := tx.Model(&presetRow{}).Where("owner_id = ? AND name = ?", to, row.Name).Count(&taken).Error; err != nil {
			return err
		}
		if taken > 0 {
			row.Name = from.Name + "." + row.Name
		}
		if err := tx.Model(&presetRow{}).Where("id = ?", row.ID).Updates(map[string]any{"owner_id": to, "name": row.Name}).Error; err != nil {
			return err
		}
		if err := reindex(tx, row.ID); err != nil {
			return err
		}
	}
	return nil
}

// leaveLevels gives the levels of somebody to another, or deletes them.
func (s *Store) leaveLevels(tx *gorm.DB, from, to uint, keep bool) error {
	var ids []string
	if err := tx.Model(&levelRow{}).Where("owner_id = ?", from).Pluck("id", &ids).Error; err != nil {
		return err
	}
	for _, id := range ids {
		if !keep {
			if err := deleteLevel(tx, id); err != nil {
				return err
			}
			continue
		}
		if err := tx.Model(&levelRow{}).Where("id = ?", id).Update("owner_id", to).Error; err != nil {
			return err
		}
		if err := tx.Where("level_id = ? AND user_id = ?", id, to).Delete(&member{}).Error; err != nil {
			return err
		}
	}
	return nil
}

// userNamed finds a user by name; the error has the name that was not found.
func (s *Store) userNamed(tx *gorm.DB, name string) (u user, err error) {
	if err := people(tx).Where("name = ?", name).Limit(1).Find(&u).Error; err != nil {
		return u, err
	}
	if u.ID == 0 {
		return u, fmt.Errorf("there is no user %q: %w", name, ErrNotFound)
	}
	return u, nil
}

// Knows tells whether there is a user of a name who may sign in.
func (s *Store) Knows(name string) bool {
	u, err := s.userNamed(s.db, name)
	return err == nil && !u.Disabled
}

// SignIn checks a password and starts a session; the secret goes into a cookie.
// agent is what the browser calls itself.
// ErrForbidden for a wrong name or password, in the same time for both.
func (s *Store) SignIn(name, password, agent string, now time.Time) (secret string, began api.Session, err error) {
	var u user
	if err := s.db.Where("name = ?", name).Limit(1).Find(&u).Error; err != nil {
		return "", began, err
	}
	right, err := auth.CheckPassword(u.Password, password)
	if err != nil {
		return "", began, err
	}
	if !right || u.Disabled {
		return "", began, ErrForbidden
	}
	return s.BeginSession(Asker{ID: u.ID, Name: name, Admin: u.Admin}, agent, now)
}

// BeginSession begins a session for somebody who has shown who they are; the secret goes into a
// cookie.
func (s *Store) BeginSession(a Asker, agent string, now time.Time) (secret string, began api.Session, err error) {
	secret, csrf := auth.NewSecret(), auth.NewSecret()
	row := session{Hash: auth.HashSecret(secret), UserID: a.ID, CSRF: csrf, Created: &now, Agent: agent, Expires: now.Add(sessionFor)}
	err = s.change(func(tx *gorm.DB) error {
		var u user
		if err := tx.Where("id = ?", a.ID).Limit(1).Find(&u).Error; err != nil {
			return err
		}
		if u.ID == 0 || u.Disabled {
			return ErrForbidden
		}
		if err := tx.Where("expires < ?", now).Delete(&session{}).Error; err != nil {
			return err
		}
		return tx.Create(&row).Error
	})
	return secret, api.Session{User: a.Name, Scopes: SessionScopes(a.Admin), CSRF: csrf, Expires: row.Expires}, err
}

// SessionScopes are the scopes of a session: all of them, but admin only for admins.
func SessionScopes(admin bool) []string {
	if admin {
		return api.Scopes
	}
	return []string{api.ScopeRead, api.ScopeEdit, api.ScopeShare}
}

// SignOut ends a session.
func (s *Store) SignOut(secret string) error {
	return s.change(func(tx *gorm.DB) error {
		return tx.Where("hash = ?", auth.HashSecret(secret)).Delete(&session{}).Error
	})
}

// Sessions lists the asker's that have not ended, the newest first.
func (s *Store) Sessions(a Asker, now time.Time) ([]api.OpenSession, error) {
	var rows []session
	err := s.db.Where("user_id = ? AND expires > ?", a.ID, now).Order("expires DESC").Find(&rows).Error
	out := make([]api.OpenSession, len(rows))
	for i, r := range rows {
		out[i] = api.OpenSession{ID: r.Hash[:sessionIDLength], Agent: r.Agent, Created: r.Created, Expires: r.Expires, Here: r.Hash == a.Session}
	}
	return out, err
}

// sessionIDLength is how much of its hash names a session to its owner: enough to tell
// sessions apart, and nothing that opens one.
const sessionIDLength = 16

// EndSession ends one of the asker's sessions.
func (s *Store) EndSession(a Asker, id string) error {
	return s.change(func(tx *gorm.DB) error {
		gone := tx.Where("user_id = ? AND substr(hash, 1, ?) = ?", a.ID, sessionIDLength, id).Delete(&session{})
		if gone.Error == nil && gone.RowsAffected == 0 {
			return ErrNotFound
		}
		return gone.Error
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
	a := Asker{ID: row.UserID, Name: row.User.Name, Scopes: SessionScopes(row.User.Admin), Admin: row.User.Admin, Session: row.Hash}
	return a, api.Session{User: a.Name, Scopes: a.Scopes, CSRF: row.CSRF, Expires: row.Expires}, nil
}

// ByToken finds who a token's secret belongs to.
func (s *Store) ByToken(secret string, now time.Time) (Asker, error) {
	var row token
	err := s.db.Preload("User").Where("hash = ?", auth.HashSecret(secret)).First(&row).Error
	if err != nil {
		return Asker{}, translate(err)
	}
	expires := now.AddDate(100, 0, 0)
	if row.Expires != nil {
		expires = *row.Expires
	}
	if expires.Before(now) || row.User.Disabled {
		return Asker{}, ErrNotFound
	}
	return Asker{ID: row.UserID, Name: row.User.Name, Scopes: strings.Split(row.Scopes, ","), Admin: row.User.Admin,
		Token: &rights.Token{ID: row.ID, Expires: expires}}, nil
}

// StillIn tells whether the session or token that somebody came with still holds.
func (s *Store) StillIn(a Asker, now time.Time) bool {
	var found int64
	if a.Token != nil {
		err := s.db.Model(&token{}).Where("id = ? AND (expires IS NULL OR expires > ?)", a.Token.ID, now).Count(&found).Error
		return err == nil && found > 0
	}
	err := s.db.Model(&session{}).Where("hash = ? AND expires > ?", a.Session, now).Count(&found).Error
	return err == nil && found > 0
}

// NewToken makes a token for the asker. It has no scope that the asker does not have,
// and one that a token makes ends no later than that.
func (s *Store) NewToken(a Asker, want api.NewToken, now time.Time) (api.Token, error) {
	for _, scope := range want.Scopes {
		if !a.Has(scope) {
			return api.Token{}, fmt.Errorf("a token cannot have the scope %q, which its maker does not have: %w", scope, ErrForbidden)
		}
	}
	if want.Days == 0 {
		want.Days = 90
	}
	if a.Token != nil && now.AddDate(0, 0, want.Days).After(a.Token.Expires) {
		return api.Token{}, fmt.Errorf("a token cannot make one that lasts longer than itself, until %s: %w", a.Token.Expires.Format(time.DateOnly), ErrForbidden)
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

// RevokeToken ends one of the asker's tokens. A token ends none that is wider than
// itself or lasts longer.
func (s *Store) RevokeToken(a Asker, id string) error {
	return s.change(func(tx *gorm.DB) error {
		var row token
		if err := tx.Where("user_id = ? AND id = ?", a.ID, id).First(&row).Error; err != nil {
			return err
		}
		if a.Token != nil {
			for _, scope := range strings.Split(row.Scopes, ",") {
				if scope != "" && !a.Has(scope) {
					return fmt.Errorf("a token cannot end one with the scope %q, which it does not have: %w", scope, ErrForbidden)
				}
			}
			if row.Expires == nil || row.Expires.After(a.Token.Expires) {
				return fmt.Errorf("a token cannot end one that lasts longer than itself: %w", ErrForbidden)
			}
		}
		return tx.Delete(&row).Error
	})
}

// userIDs turns names into ids; the error names the first that is nobody's.
func userIDs(tx *gorm.DB, names []string) ([]uint, error) {
	ids := make([]uint, len(names))
	for i, name := range names {
		var u user
		if err := people(tx).Where("name = ?", name).Limit(1).Find(&u).Error; err != nil {
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

// Names are the names of all people, by id.
func (s *Store) Names() (map[uint]string, error) {
	var rows []user
	err := s.db.Select("id, name").Find(&rows).Error
	names := map[uint]string{}
	for _, r := range rows {
		names[r.ID] = r.Name
	}
	return names, err
}
