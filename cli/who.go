package cli

import "os/user"

// whoAmI is the name under which decisions are kept, as long as nobody signs in.
func whoAmI() string {
	u, err := user.Current()
	if err != nil {
		return ""
	}
	return u.Username
}
