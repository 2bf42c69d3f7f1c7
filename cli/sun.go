package cli

import (
	"errors"
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/sky"
	"grotta/core/solar"
)

// sunFlags are the ways to say where the sun stands.
type sunFlags struct {
	latitude, longitude, azimuth, altitude, lux float64
	at, strike, from                            string
}

func (a *app) sunCommand() *cobra.Command {
	var f sunFlags
	cmd := &cobra.Command{
		Use: "sun [LEVEL]", Short: "Tell where the sun stands at a place and time, or put it there in a level", Args: args(0, 1), ValidArgsFunction: a.completeLevels,
		Long: `Without a level, answers where the sun stands: --latitude, --longitude, --at.
With a level, puts its sun there: by those, by --azimuth and --altitude, or so that
it strikes a spot from a place (--strike, --from). Azimuth is from north, clockwise;
altitude is geometric, without refraction.`,
		Example: `  grotta sun --latitude 54.5 --longitude 8.7 --at 2026-06-21T18:00:00Z
  grotta sun "Saltmarsh Light" --azimuth 250 --altitude 12 --lux 20000
  grotta sun "Saltmarsh Light" --strike 2.6,0.8,-5.6 --from 2.6,1.6,-1`,
		RunE: func(cmd *cobra.Command, in []string) error {
			if len(in) == 0 {
				return a.tellSun(cmd, &f)
			}
			fields, label, err := f.fields(cmd)
			if err != nil {
				return err
			}
			op := level.Set("", fields)
			op.Label = label
			return a.apply(cmd, in[0], op)
		},
	}
	p := cmd.Flags()
	p.Float64Var(&f.latitude, "latitude", 54.5, "degrees, north is positive")
	p.Float64Var(&f.longitude, "longitude", 8.7, "degrees, east is positive")
	p.StringVar(&f.at, "at", "", "date and time, UTC, such as 2026-06-21T18:00:00Z (default: now)")
	p.Float64Var(&f.azimuth, "azimuth", 0, "degrees from north, clockwise")
	p.Float64Var(&f.altitude, "altitude", 0, "degrees above the horizon")
	p.Float64Var(&f.lux, "lux", 0, "strength on a surface that faces it")
	p.StringVar(&f.strike, "strike", "", "x,y,z of a spot that it should strike")
	p.StringVar(&f.from, "from", "", "x,y,z that its light comes by, such as the middle of a window")
	return cmd
}

func (f *sunFlags) time() (time.Time, error) {
	if f.at == "" {
		return time.Now().UTC().Truncate(time.Second), nil
	}
	p := level.Place{At: f.at}
	if when, err := p.Time(); err == nil {
		return when, nil
	}
	return time.Time{}, usageError{fmt.Errorf("--at is %q; a time is written 2026-06-21T18:00:00Z", f.at)}
}

func (a *app) tellSun(cmd *cobra.Command, f *sunFlags) error {
	if cmd.Flags().Changed("azimuth") || cmd.Flags().Changed("strike") {
		return usageError{errors.New("name the level whose sun to put there")}
	}
	when, err := f.time()
	if err != nil {
		return err
	}
	if f.latitude < -90 || f.latitude > 90 || f.longitude < -180 || f.longitude > 180 {
		return usageError{fmt.Errorf("latitude %v, longitude %v is no place: -90 to 90 and -180 to 180 are allowed", f.latitude, f.longitude)}
	}
	answer := struct {
		LatitudeDeg  float64 `json:"latitude_deg"`
		LongitudeDeg float64 `json:"longitude_deg"`
		At           string  `json:"at"`
		solar.Position
	}{f.latitude, f.longitude, when.UTC().Format(time.RFC3339), solar.At(f.latitude, f.longitude, when)}
	return a.show(answer, func(w io.Writer) {
		fmt.Fprintf(w, "azimuth %.2f, altitude %.2f degrees at %s\n", answer.AzimuthDeg, answer.AltitudeDeg, answer.At)
	})
}

// fields are what a level's sun is set to, and what a person would call it.
func (f *sunFlags) fields(cmd *cobra.Command) (map[string]any, string, error) {
	given := cmd.Flags().Changed
	fields := map[string]any{}
	label := "Change the sun"
	if given("lux") {
		fields["environment.sun.lux"] = f.lux
	}
	switch {
	case given("strike") || given("from"):
		spot, err := vector("--strike", f.strike)
		if err != nil {
			return nil, "", err
		}
		from, err := vector("--from", f.from)
		if err != nil {
			return nil, "", err
		}
		to := geom.Vec3(from).Sub(geom.Vec3(spot))
		if to.Len() < 1e-6 {
			return nil, "", usageError{errors.New("--strike and --from are one point; the light needs a direction")}
		}
		azimuth, altitude := sky.Angles(to)
		fields["environment.sun.azimuth_deg"], fields["environment.sun.altitude_deg"], fields["environment.sun.place"] = azimuth, altitude, nil
		label = fmt.Sprintf("Sun strikes %s", f.strike)
	case given("azimuth") || given("altitude"):
		fields["environment.sun.azimuth_deg"], fields["environment.sun.altitude_deg"], fields["environment.sun.place"] = f.azimuth, f.altitude, nil
		label = fmt.Sprintf("Sun at %.0f, %.0f high", f.azimuth, f.altitude)
	case given("at") || given("latitude") || given("longitude"):
		when, err := f.time()
		if err != nil {
			return nil, "", err
		}
		fields["environment.sun.place"] = map[string]any{"latitude_deg": f.latitude, "longitude_deg": f.longitude, "at": when.UTC().Format("2006-01-02T15:04:05Z")}
		label = "Sun of " + when.UTC().Format("2 January, 15:04 UTC")
	}
	if len(fields) == 0 {
		return nil, "", usageError{errors.New("say where: --azimuth and --altitude, --at, or --strike and --from")}
	}
	return fields, label, nil
}
