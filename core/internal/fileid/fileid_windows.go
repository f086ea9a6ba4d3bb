package fileid

import "golang.org/x/sys/windows"

// Of is the file that a path leads to.
func Of(path string) (ID, error) { return of(path, 0) }

// OfLink is what stands at a path, a link itself if it is one.
func OfLink(path string) (ID, error) { return of(path, windows.FILE_FLAG_OPEN_REPARSE_POINT) }

func of(path string, flags uint32) (ID, error) {
	name, err := windows.UTF16PtrFromString(path)
	if err != nil {
		return ID{}, err
	}
	all := uint32(windows.FILE_SHARE_READ | windows.FILE_SHARE_WRITE | windows.FILE_SHARE_DELETE)
	h, err := windows.CreateFile(name, windows.READ_CONTROL, all, nil, windows.OPEN_EXISTING, windows.FILE_FLAG_BACKUP_SEMANTICS|flags, 0)
	if err != nil {
		return ID{}, err
	}
	defer func() { _ = windows.CloseHandle(h) }() // it was read only
	var info windows.ByHandleFileInformation
	if err := windows.GetFileInformationByHandle(h, &info); err != nil {
		return ID{}, err
	}
	id := ID{Device: uint64(info.VolumeSerialNumber), File: uint64(info.FileIndexHigh)<<32 | uint64(info.FileIndexLow)}
	if sd, err := windows.GetSecurityInfo(h, windows.SE_FILE_OBJECT, windows.OWNER_SECURITY_INFORMATION); err == nil {
		if owner, _, err := sd.Owner(); err == nil && owner != nil {
			id.Owner = owner.String()
		}
	}
	return id, nil
}

// mine takes a file without an owner for the user's: the file system has none. What an
// administrator makes belongs to the group of them.
func mine(owner string) bool {
	if owner == "" {
		return true
	}
	token := windows.GetCurrentProcessToken()
	user, err := token.GetTokenUser()
	if err == nil && user.User.Sid.String() == owner {
		return true
	}
	admins, err := windows.CreateWellKnownSid(windows.WinBuiltinAdministratorsSid)
	if err != nil || admins.String() != owner {
		return false
	}
	member, err := token.IsMember(admins)
	return err == nil && member
}
