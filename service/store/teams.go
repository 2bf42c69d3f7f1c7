package store

import (
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"

	"grotta/api"
	"grotta/service/auth"
	"grotta/service/rights"
)

// This file keeps teams: people with roles, to whom levels and presets are shared together.

// Teams lists those that the asker is in.
func (s *Store) Teams(a Asker) (out []api.Team, err error) {
	out = []api.Team{}
	err = s.snapshot(func(tx *gorm.DB) error {
		var rows []team
		if err := tx.Where("id IN (?)", tx.Model(&teamMember{}).Select("team_id").Where("user_id = ?", a.ID)).Order("name").Find(&rows).Error; err != nil {
			return err
		}
		for _, row := range rows {
			t := api.Team{Name: row.Name, Note: row.Note, Members: []api.TeamMember{}}
			var members []struct {
				UserID uint
				User   string
				Role   string
			}
			if err := tx.Raw("SELECT m.user_id, u.name AS user, m.role FROM team_members m JOIN users u ON u.id = m.user_id WHERE m.team_id = ? ORDER BY u.name", row.ID).Scan(&members).Error; err != nil {
				return err
			}
			for _, m := range members {
				t.Members = append(t.Members, api.TeamMember{User: m.User, Role: m.Role})
				if m.UserID == a.ID {
					t.Role = m.Role
				}
			}
			for table, into := range map[string]*int{"team_levels": &t.Levels, "team_presets": &t.Presets} {
				if err := tx.Raw("SELECT count(*) FROM "+table+" WHERE team_id = ?", row.ID).Scan(into).Error; err != nil {
					return err
				}
			}
			out = append(out, t)
		}
		return nil
	})
	return out, err
}

// NewTeam makes a team that the asker owns.
func (s *Store) NewTeam(a Asker, want api.NewTeam) error {
	err := s.change(func(tx *gorm.DB) error {
		row := team{ID: auth.NewID(), Name: want.Name, Note: want.Note, Created: time.Now().UTC()}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		return tx.Create(&teamMember{row.ID, a.ID, rights.Owner.String()}).Error
	})
	if err == ErrTaken {
		return fmt.Errorf("there is a team %q already: %w", want.Name, ErrTaken)
	}
	return err
}

// memberOf finds a team that the asker is in, and their role there. ErrNotFound else.
func memberOf(tx *gorm.DB, a Asker, name string) (team, rights.Role, error) {
	var row team
	if err := tx.Where("name = ?", name).Limit(1).Find(&row).Error; err != nil {
		return row, rights.Nobody, err
	}
	var m teamMember
	if err := tx.Where("team_id = ? AND user_id = ?", row.ID, a.ID).Limit(1).Find(&m).Error; err != nil {
		return row, rights.Nobody, err
	}
	if m.TeamID == "" {
		return row, rights.Nobody, fmt.Errorf("you are in no team %q: %w", name, ErrNotFound)
	}
	return row, rights.RoleNamed(m.Role), nil
}

func ownerOf(tx *gorm.DB, a Asker, name string) (team, error) {
	row, role, err := memberOf(tx, a, name)
	if err == nil && role < rights.Owner {
		err = fmt.Errorf("only an owner of the team may do that: %w", ErrForbidden)
	}
	return row, err
}

// SetTeamMember gives somebody a role in a team, or takes them off with an empty one. Its owners may,
// and everybody may leave. A team keeps an owner.
func (s *Store) SetTeamMember(a Asker, name, who, role string) error {
	return s.change(func(tx *gorm.DB) error {
		row, own, err := memberOf(tx, a, name)
		if err != nil {
			return err
		}
		if own < rights.Owner && !(role == "" && who == a.Name) {
			return fmt.Errorf("only an owner of the team may do that: %w", ErrForbidden)
		}
		ids, err := userIDs(tx, []string{who})
		if err != nil {
			return err
		}
		if role == "" {
			err = tx.Where("team_id = ? AND user_id = ?", row.ID, ids[0]).Delete(&teamMember{}).Error
		} else {
			err = tx.Save(&teamMember{row.ID, ids[0], role}).Error
		}
		if err != nil {
			return err
		}
		var owners int64
		if err := tx.Model(&teamMember{}).Where("team_id = ? AND role = ?", row.ID, rights.Owner.String()).Count(&owners).Error; err != nil {
			return err
		}
		if owners == 0 {
			return fmt.Errorf("the team would have no owner; make somebody else one first, or delete the team: %w", ErrTaken)
		}
		if role != "" && ids[0] != a.ID {
			return notify(tx, noticeRow{UserID: ids[0], Kind: "shared", FromName: a.Name, About: name, Text: fmt.Sprintf("made you %s of the team %s", role, name)})
		}
		return nil
	})
}

// DeleteTeam removes a team; its levels and presets stay with their owners.
func (s *Store) DeleteTeam(a Asker, name string) error {
	return s.change(func(tx *gorm.DB) error {
		row, err := ownerOf(tx, a, name)
		if err != nil {
			return err
		}
		return tx.Where("id = ?", row.ID).Delete(&team{}).Error
	})
}

// leaveTeams makes another an owner of the teams that only somebody who goes owns.
func leaveTeams(tx *gorm.DB, from, to uint) error {
	var ids []string
	err := tx.Raw(`SELECT team_id FROM team_members m WHERE user_id = ? AND role = 'owner'
		AND NOT EXISTS (SELECT 1 FROM team_members o WHERE o.team_id = m.team_id AND o.role = 'owner' AND o.user_id <> m.user_id)`, from).Scan(&ids).Error
	if err != nil {
		return err
	}
	for _, id := range ids {
		if err := tx.Save(&teamMember{id, to, rights.Owner.String()}).Error; err != nil {
			return err
		}
	}
	return nil
}

// shareWithTeams replaces the teams that a preset is shared with; the asker is in each.
func (s *Store) shareWithTeams(tx *gorm.DB, a Asker, presetID string, names []string) error {
	if err := tx.Where("preset_id = ?", presetID).Delete(&teamPreset{}).Error; err != nil {
		return err
	}
	for _, name := range names {
		row, role, err := memberOf(tx, a, name)
		if err != nil {
			return err
		}
		if role < rights.Editor {
			return fmt.Errorf("you may see the team %q and not share with it: %w", name, ErrForbidden)
		}
		if err := tx.Save(&teamPreset{row.ID, presetID}).Error; err != nil {
			return err
		}
	}
	return nil
}

// SetLevelTeam shares a level with a team, up to a role, or takes it back with an empty one. Each
// member has on it the lower of that and their role in the team.
func (s *Store) SetLevelTeam(a Asker, id, name, role string) error {
	return s.change(func(tx *gorm.DB) error {
		if err := s.mustOwn(tx, a, id); err != nil {
			return err
		}
		row, _, err := memberOf(tx, a, name)
		if err != nil {
			return err
		}
		if role == "" {
			return tx.Where("team_id = ? AND level_id = ?", row.ID, id).Delete(&teamLevel{}).Error
		}
		return tx.Save(&teamLevel{row.ID, id, role}).Error
	})
}

// teamsOf are the teams that a level is shared with.
func teamsOf(tx *gorm.DB, levelID string) ([]api.TeamRole, error) {
	out := []api.TeamRole{}
	err := tx.Raw("SELECT t.name AS team, l.role FROM team_levels l JOIN teams t ON t.id = l.team_id WHERE l.level_id = ? ORDER BY t.name", levelID).Scan(&out).Error
	return out, err
}

// rolesOf are the asker's roles on levels, or on one, that they do not own.
func rolesOf(tx *gorm.DB, a Asker, levelID string) (map[string]rights.Role, error) {
	out := map[string]rights.Role{}
	note := func(id string, role rights.Role) { out[id] = max(out[id], role) }
	only, args := "", []any{a.ID}
	if levelID != "" {
		only, args = " AND %s = ?", append(args, levelID)
	}
	on := func(column string) string {
		if only == "" {
			return ""
		}
		return fmt.Sprintf(only, column)
	}
	var direct []struct{ LevelID, Role, Most string }
	for _, query := range []string{
		"SELECT level_id, role, role AS most FROM members WHERE user_id = ?" + on("level_id"),
		"SELECT l.level_id, m.role, l.role AS most FROM team_levels l JOIN team_members m ON m.team_id = l.team_id WHERE m.user_id = ?" + on("l.level_id"),
		"SELECT k.subject AS level_id, k.role, k.role AS most FROM share_links k JOIN link_uses u ON u.link_id = k.id WHERE k.kind = 'level' AND NOT k.withdrawn AND u.user_id = ?" + on("k.subject"),
	} {
		direct = direct[:0]
		if err := tx.Raw(query, args...).Scan(&direct).Error; err != nil {
			return nil, err
		}
		for _, d := range direct {
			note(d.LevelID, min(rights.RoleNamed(d.Role), rights.RoleNamed(d.Most)))
		}
	}
	return out, nil
}

// peopleOn are the ids of everybody who may see a level.
func peopleOn(tx *gorm.DB, row *levelRow) ([]uint, error) {
	ids := []uint{row.OwnerID}
	for _, query := range []string{
		"SELECT user_id FROM members WHERE level_id = ?",
		"SELECT m.user_id FROM team_members m JOIN team_levels l ON l.team_id = m.team_id WHERE l.level_id = ?",
		"SELECT u.user_id FROM link_uses u JOIN share_links k ON k.id = u.link_id WHERE k.kind = 'level' AND NOT k.withdrawn AND k.subject = ?",
	} {
		var more []uint
		if err := tx.Raw(query, row.ID).Scan(&more).Error; err != nil {
			return nil, err
		}
		ids = append(ids, more...)
	}
	slices.Sort(ids)
	return slices.Compact(ids), nil
}
