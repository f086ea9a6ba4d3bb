// A stand-in for pythonXY.dll: answers the probe as python.org's Windows build would, else prints what it was called with.
#include <windows.h>
#include <stdio.h>
#include <wchar.h>
#include <stdlib.h>
#include <string.h>
static void js(const wchar_t*w){ char b[8192]; WideCharToMultiByte(CP_UTF8,0,w,-1,b,sizeof b,0,0); putchar('"'); for(char*p=b;*p;p++){ if(*p=='"'||*p=='\\') putchar('\\'); if(*p=='\n'){fputs("\\n",stdout);continue;} putchar(*p);} putchar('"'); }
static int readcfg(wchar_t*exe, wchar_t*home, wchar_t*root){ wchar_t d[4096]; wcscpy(d,exe); wchar_t*s=wcsrchr(d,'\\'); *s=0; s=wcsrchr(d,'\\'); if(!s) return 0; *s=0; wcscpy(root,d); wcscat(d,L"\\pyvenv.cfg"); FILE*f=_wfopen(d,L"rb"); if(!f) return 0; char line[4096]; home[0]=0; while(fgets(line,sizeof line,f)){ if(!strncmp(line,"home = ",7)){ line[strcspn(line,"\r\n")]=0; MultiByteToWideChar(CP_UTF8,0,line+7,-1,home,4096);} } fclose(f); return 1; }
__declspec(dllexport) int Py_Main(int argc, wchar_t**argv){
 wchar_t exe[4096], home[4096], root[4096], base[4096]; GetModuleFileNameW(0,exe,4096);
 // As CPython since 3.7.3: another program may start it in the name of a jar, and what it starts does not inherit that.
 if(GetEnvironmentVariableW(L"__PYVENV_LAUNCHER__",home,4096)){ wcscpy(exe,home); SetEnvironmentVariableW(L"__PYVENV_LAUNCHER__",0); }
 wchar_t bp[4096]; int inside=readcfg(exe,home,root); if(!inside){ wcscpy(root,exe); *wcsrchr(root,'\\')=0; wcscpy(bp,root); wcscpy(base,exe);} else { wcscpy(bp,home); wcscpy(base,home); wcscat(base,L"\\python.exe"); }
 for(int i=1;i<argc;i++) if(!wcscmp(argv[i],L"-c")&&i+1<argc){
  if(wcsstr(argv[i+1],L"# Says what")){
   printf("{\"executable\":"); js(exe); printf(",\"version\":\"" VER "\",\"implementation\":\"cpython\",\"implementation_version\":\"" VER "\",\"python_implementation\":\"CPython\",\"prefix\":"); js(bp); printf(",\"in_environment\":%s,\"base_executable\":",inside?"true":"false"); js(base);
   printf(",\"soabi\":\"\",\"ext_suffix\":\".cp312-win_amd64.pyd\",\"free_threaded\":false,\"abi_flags\":\"\",\"wide_unicode\":false,\"with_pymalloc\":false,\"bits\":64,\"machine\":\"AMD64\",\"os_name\":\"nt\",\"sys_platform\":\"win32\",\"platform_system\":\"Windows\",\"platform_release\":\"10\",\"platform_version\":\"10.0.19045\",\"glibc\":\"\",\"mac_version\":\"\",\"cache_tag\":\"cpython-312\",\"magic\":\"cb0d0d0a\",\"library_folder\":\"DLLs\",\"site_packages\":["); js(root); printf(",");
   wchar_t t[4096]; wcscpy(t,root); wcscat(t,L"\\Lib\\site-packages"); js(t); printf("],\"stdlib\":"); wcscpy(t,bp); wcscat(t,L"\\Lib"); js(t); printf(",\"managed\":false}\n"); return 0; }
  if(wcsstr(argv[i+1],L"# Compiles")){ char l[65536]; while(fgets(l,sizeof l,stdin)){ puts("none"); fflush(stdout);} return 0; }
  if(!wcscmp(argv[i+1],L"sleep")){ puts("sleeping"); fflush(stdout); Sleep(1000*_wtoi(argv[i+2])); puts("woke"); return 0; }
 }
 if(argc>2&&!wcscmp(argv[argc-2],L"--exit")) return _wtoi(argv[argc-1]);
 if(argc>2&&!wcscmp(argv[argc-2],L"--sleep")) { puts("sleeping"); fflush(stdout); Sleep(1000*_wtoi(argv[argc-1])); puts("woke"); return 0; }
 printf("{\"exe\":"); js(exe); printf(",\"prefix\":"); js(root); printf(",\"argv\":["); for(int i=0;i<argc;i++){ if(i) printf(","); js(argv[i]); } printf("]}\n"); return 0; }
BOOL WINAPI DllMain(HINSTANCE h, DWORD r, LPVOID x){return TRUE;}
